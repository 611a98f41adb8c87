import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { type Account, answer, api, type Role } from "../api/client";
import { accountsQuery, sessionQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { moment } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { useSaveSeen } from "../words/useSaveSeen";

const ROLES: Record<Role, string> = {
  reader: "looks and listens, changes nothing",
  archivist: "does the work",
  keeper: "also decides the house's rules and who may sign in",
};

/** Who may sign in, and as what. */
export function PeoplePage() {
  const cache = useQueryClient();
  const { data: people, error } = useQuery(accountsQuery);
  const { data: session } = useQuery(sessionQuery);
  const again = () =>
    Promise.all([accountsQuery, sessionQuery].map((one) => cache.invalidateQueries({ queryKey: one.queryKey })));
  const change = useSaveSeen(
    ({ id, ...body }: { id: number; role?: Role; password?: string; closed?: boolean }, seen: Account | undefined) =>
      answer(
        api.PATCH("/api/v1/accounts/{account_id}", {
          params: { path: { account_id: id } },
          body: { ...body, seen: seen && { role: seen.role, closed: seen.closed_at !== null } },
        }),
      ),
    ({ id }) => people?.find((one) => one.id === id),
    again,
  );
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">People</h1>
          <span className="quiet">everything that is done is in the ledger under its name</span>
          <Link className="ml-auto text-primary hover:underline" to="/access-log">
            Access log
          </Link>
        </>
      }
      margin={
        people && (
          <NewAccount key={String(people.length === 0)} isFirst={people.length === 0} onMade={() => void again()} />
        )
      }
    >
      {(error || change.trouble) && (
        <div className="px-5 pt-3">
          {error && <Trouble error={error} />}
          {change.trouble}
        </div>
      )}
      {session && !session.sign_in && (
        <p className="px-5 pt-4">
          Nobody signs in here, because only this machine reaches the application: all is signed “{session.name}”.
          Accounts count once it listens elsewhere (INKWELL_HOST), or INKWELL_SIGN_IN is “always”.
        </p>
      )}
      {people?.length === 0 && (
        <p className="p-5">There are no accounts yet. Make the first, a keeper's, in the side panel.</p>
      )}
      {people && people.length > 0 && (
        <table className="w-full border-collapse">
          <thead>
            <tr className="quiet text-left text-[13px]">
              <th className="py-2 pl-5 font-normal">Name</th>
              <th className="font-normal">Role</th>
              <th className="font-normal">Signed in</th>
              <th className="font-normal">Account made</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {people.map((one) => (
              <Line
                key={one.id}
                one={one}
                busy={change.isSaving}
                onChange={(what) => change.save({ id: one.id, ...what })}
              />
            ))}
          </tbody>
        </table>
      )}
    </Desk>
  );
}

function Line({
  one,
  busy,
  onChange,
}: {
  one: Account;
  busy: boolean;
  onChange: (what: { role?: Role; password?: string; closed?: boolean }) => void;
}) {
  const [password, setPassword] = useState<string | null>(null);
  const closed = one.closed_at !== null;
  return (
    <tr className="rule-b align-top">
      <td className={`py-2 pl-5 font-serif text-[16px] ${closed ? "quiet" : ""}`}>
        {one.name}
        {closed && <span className="block text-[12px]">closed {moment(one.closed_at ?? "")}</span>}
      </td>
      <td className="py-2">
        <select
          className="field"
          aria-label={`Role of ${one.name}`}
          value={one.role}
          disabled={busy || closed}
          onChange={(event) => onChange({ role: event.target.value as Role })}
        >
          {Object.keys(ROLES).map((role) => (
            <option key={role}>{role}</option>
          ))}
        </select>
        <span className="quiet block text-[12px]">{ROLES[one.role]}</span>
      </td>
      <td className="quiet py-2">{one.last_seen_at ? moment(one.last_seen_at) : "never"}</td>
      <td className="quiet py-2">
        {moment(one.made_at)} by {one.made_by}
      </td>
      <td className="py-2 pr-5 text-right">
        {password === null ? (
          <span className="inline-flex gap-2">
            {!closed && (
              <button type="button" className="press" onClick={() => setPassword("")}>
                New password
              </button>
            )}
            <button
              type="button"
              className="press"
              disabled={busy}
              title={closed ? undefined : "They are signed out at once; the ledger keeps their name"}
              onClick={() => onChange({ closed: !closed })}
            >
              {closed ? "Open again" : "Close"}
            </button>
          </span>
        ) : (
          <form
            className="inline-flex gap-2"
            onSubmit={(event) => {
              event.preventDefault();
              onChange({ password });
              setPassword(null);
            }}
          >
            <input
              className="field"
              type="password"
              autoComplete="new-password"
              aria-label={`New password of ${one.name}`}
              minLength={15}
              required
              autoFocus
              value={password}
              onChange={(event) => setPassword(event.target.value)}
            />
            <button className="press press-main">Set</button>
            <button type="button" className="press" onClick={() => setPassword(null)}>
              Cancel
            </button>
          </form>
        )}
      </td>
    </tr>
  );
}

function NewAccount({ isFirst, onMade }: { isFirst: boolean; onMade: () => void }) {
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [role, setRole] = useState<Role>(isFirst ? "keeper" : "archivist");
  const make = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/accounts", { body: { name, password, role } })),
    onSuccess: () => {
      setName("");
      setPassword("");
      onMade();
    },
  });
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        make.mutate();
      }}
    >
      <h2 className="margin-heading">Another account</h2>
      <label className="mb-2 block">
        <span className="quiet">Name, as the ledger writes it</span>
        <input
          className="field w-full"
          required
          autoComplete="off"
          value={name}
          onChange={(event) => setName(event.target.value)}
        />
      </label>
      <label className="mb-2 block">
        <span className="quiet">Password</span>
        <input
          className="field w-full"
          type="password"
          autoComplete="new-password"
          minLength={15}
          required
          value={password}
          onChange={(event) => setPassword(event.target.value)}
        />
        <span className="quiet block text-[12px]">15 characters or more: three or four words.</span>
      </label>
      <fieldset className="mb-3">
        <legend className="quiet">Role</legend>
        {(Object.keys(ROLES) as Role[]).map((one) => (
          <label key={one} className="flex items-baseline gap-2 py-0.5">
            <input type="radio" name="role" checked={role === one} onChange={() => setRole(one)} />
            <span>
              {one}
              <span className="quiet block text-[12px]">{ROLES[one]}</span>
            </span>
          </label>
        ))}
      </fieldset>
      <button className="press press-main w-full justify-center" disabled={make.isPending}>
        Make the account
      </button>
      {make.error && (
        <div className="mt-2">
          <Trouble error={make.error} />
        </div>
      )}
    </form>
  );
}

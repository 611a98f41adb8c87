import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Role, type Token } from "../api/client";
import { sessionQuery, tokensQuery } from "../api/queries";
import { moment } from "../words/figures";
import { Trouble } from "../words/Trouble";

const ROLES: readonly Role[] = ["reader", "archivist", "keeper"];
const PERIODS = [
  [7, "a week"],
  [30, "a month"],
  [90, "three months"],
  [366, "a year"],
] as const;

/** One's own tokens for scripts: what there is, and a new one, which is shown once. */
export function TokensPanel() {
  const cache = useQueryClient();
  const { data: tokens, error } = useQuery(tokensQuery);
  const again = () => cache.invalidateQueries({ queryKey: tokensQuery.queryKey });
  const revoke = useMutation({
    mutationFn: (id: number) =>
      answer(api.DELETE("/api/v1/session/tokens/{token_id}", { params: { path: { token_id: id } } })),
    onSettled: again,
  });
  const trouble = error ?? revoke.error;
  return (
    <section aria-label="Tokens for scripts" className="max-w-3xl">
      <h2 className="text-lg">Tokens for scripts</h2>
      <p className="quiet mb-3">
        A script shows a token instead of signing in (Authorization: Bearer ...). What it does is in the ledger as
        “token of” you.
      </p>
      {trouble && <Trouble error={trouble} />}
      <NewToken onMade={() => void again()} />
      {tokens && tokens.length > 0 && (
        <table className="mt-4 w-full border-collapse text-[13px]">
          <thead>
            <tr className="quiet text-left">
              <th className="py-1 font-normal">For</th>
              <th className="font-normal">Role</th>
              <th className="font-normal">Made</th>
              <th className="font-normal">Last used</th>
              <th className="font-normal">Ends</th>
              <th />
            </tr>
          </thead>
          <tbody>
            {tokens.map((one) => (
              <tr key={one.id} className={`rule-b ${one.is_valid ? "" : "quiet"}`}>
                <td className="py-1.5">{one.purpose}</td>
                <td>{one.role}</td>
                <td>{moment(one.made_at)}</td>
                <td>{one.used_at ? moment(one.used_at) : "never"}</td>
                <td>{ends(one)}</td>
                <td className="text-right">
                  {one.is_valid && (
                    <button
                      type="button"
                      className="press"
                      aria-label={`Revoke the token for ${one.purpose}`}
                      disabled={revoke.isPending}
                      onClick={() => revoke.mutate(one.id)}
                    >
                      Revoke
                    </button>
                  )}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
    </section>
  );
}

function ends(one: Token): string {
  if (one.revoked_at) return `revoked ${moment(one.revoked_at)}`;
  return one.is_valid ? moment(one.ends_at) : `ended ${moment(one.ends_at)}`;
}

function NewToken({ onMade }: { onMade: () => void }) {
  const { data: session } = useQuery(sessionQuery);
  const [purpose, setPurpose] = useState("");
  const [role, setRole] = useState<Role>("reader");
  const [days, setDays] = useState(30);
  const make = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/session/tokens", { body: { purpose, role, days } })),
    onSuccess: () => {
      setPurpose("");
      onMade();
    },
  });
  const allowed = ROLES.slice(0, ROLES.indexOf(session?.role ?? "reader") + 1);
  return (
    <>
      <form
        className="flex flex-wrap items-end gap-3"
        onSubmit={(event) => {
          event.preventDefault();
          make.mutate();
        }}
      >
        <label className="block grow">
          <span className="quiet">What it is for</span>
          <input
            className="field w-full"
            required
            maxLength={100}
            value={purpose}
            onChange={(event) => setPurpose(event.target.value)}
          />
        </label>
        <label className="block">
          <span className="quiet block">Role</span>
          <select className="field" value={role} onChange={(event) => setRole(event.target.value as Role)}>
            {allowed.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
        <label className="block">
          <span className="quiet block">Valid for</span>
          <select className="field" value={days} onChange={(event) => setDays(Number(event.target.value))}>
            {PERIODS.map(([value, name]) => (
              <option key={value} value={value}>
                {name}
              </option>
            ))}
          </select>
        </label>
        <button className="press press-main" disabled={make.isPending}>
          Make token
        </button>
      </form>
      {make.error && <Trouble error={make.error} />}
      {make.data && (
        <div role="status" className="mt-3 border border-base-300 bg-base-200 p-3">
          <p>Copy it now: it is not shown again, and kept nowhere.</p>
          <code data-testid="token" className="figure mt-1 block select-all break-all">
            {make.data.token}
          </code>
        </div>
      )}
    </>
  );
}

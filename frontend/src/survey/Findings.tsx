import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { answer, api, type Check, type Finding } from "../api/client";
import { findingsQuery } from "../api/filesQueries";
import { Steps } from "../files/Steps";
import { Desk } from "../frame/Desk";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { Remedy } from "./Remedy";

/** The findings of one check: look, choose, put right, or dismiss with a reason. */
export function Findings({ check, told }: { check: string; told: Check | undefined }) {
  const cache = useQueryClient();
  const [dismissed, setDismissed] = useState(false);
  const [ticked, setTicked] = useState<ReadonlySet<number>>(new Set());
  const { data, error } = useQuery(findingsQuery(check, dismissed));
  const again = () => {
    setTicked(new Set());
    for (const key of ["survey", "findings"]) void cache.invalidateQueries({ queryKey: [key] });
  };
  const found = data?.findings ?? [];
  const chosen = found.filter((one) => ticked.has(one.id)).map((one) => one.id);
  const tick = (one: Finding, on: boolean) =>
    setTicked(new Set(on ? [...ticked, one.id] : [...ticked].filter((id) => id !== one.id)));
  return (
    <Desk
      title={
        <>
          <Link to="/survey" className="text-primary">
            Survey
          </Link>
          <h1 className="text-xl">{data?.label ?? told?.label}</h1>
          {data && (
            <span className="quiet">
              {plural(data.total, "finding")}
              {dismissed ? ", dismissed" : ""}
            </span>
          )}
          {(dismissed || (told?.dismissed ?? 0) > 0) && (
            <button
              type="button"
              className="press"
              onClick={() => {
                setDismissed(!dismissed);
                setTicked(new Set());
              }}
            >
              {dismissed ? "See those that are open" : `See ${told?.dismissed} dismissed`}
            </button>
          )}
        </>
      }
      margin={
        <>
          {data && found.length > 0 && !dismissed && (
            <Remedy
              key={chosen.join()}
              check={check}
              ids={chosen}
              total={data.total}
              hasRemedy={found.some((one) => one.has_remedy)}
              onDone={again}
            />
          )}
          {data && found.length > 0 && (
            <Dismissing check={check} ids={chosen} total={data.total} isDismissed={dismissed} onDone={again} />
          )}
          <h2 className="margin-heading">Steps written</h2>
          <Steps most={10} />
        </>
      }
    >
      {error && (
        <div className="px-5 pt-3">
          <Trouble error={error} />
        </div>
      )}
      {data && found.length === 0 && (
        <p className="p-8 text-accent">✓ {dismissed ? "None is dismissed." : "Nothing is open here."}</p>
      )}
      {found.length > 0 && (
        <table className="w-full border-collapse">
          <thead>
            <tr className="rule-b quiet text-left">
              <th className="w-10 py-2 pl-5">
                <input
                  type="checkbox"
                  aria-label="Tick all"
                  checked={chosen.length === found.length}
                  onChange={(event) => setTicked(new Set(event.target.checked ? found.map((one) => one.id) : []))}
                />
              </th>
              <th className="px-2 font-medium">Where</th>
              <th className="px-3 font-medium">What</th>
              <th className="px-3 pr-5 font-medium">Evidence</th>
            </tr>
          </thead>
          <tbody>
            {found.map((one) => (
              <tr key={one.id} className="rule-b align-top">
                <td className="py-1.5 pl-5">
                  <input
                    type="checkbox"
                    aria-label={`Tick ${one.words}, ${one.paths[0] ?? ""}`}
                    checked={ticked.has(one.id)}
                    onChange={(event) => tick(one, event.target.checked)}
                  />
                </td>
                <td className="max-w-[280px] break-words px-2 py-1.5">
                  <Where one={one} />
                </td>
                <td className="px-3 py-1.5">
                  {one.words}
                  {one.dismissed && <span className="quiet block text-[12px]">Dismissed: {one.dismissed}</span>}
                </td>
                <td className="quiet max-w-[260px] break-words px-3 py-1.5 pr-5">{one.evidence}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {data && data.total > found.length && (
        <p className="quiet px-5 py-3">
          The first {found.length} of {data.total.toLocaleString("en-GB")} are shown; without a tick everything here is
          meant.
        </p>
      )}
    </Desk>
  );
}

/** The file, or the folder with how many of its files; it leads to the sheet. */
function Where({ one }: { one: Finding }) {
  const sheet = `/files/sheet?${one.bundle_ids.map((id) => `bundle=${id}`).join("&")}`;
  const name = one.paths[0]?.split("/").at(-1) ?? "";
  return (
    <>
      <Link to={sheet} className="text-primary hover:underline">
        {one.files === 1 ? name : one.place || plural(one.files, "file")}
      </Link>
      <span className="quiet block text-[12px]">
        {one.files === 1 ? one.place : one.place ? plural(one.files, "file") : one.paths.slice(0, 2).join(", ")}
      </span>
    </>
  );
}

function Dismissing({
  check,
  ids,
  total,
  isDismissed,
  onDone,
}: {
  check: string;
  ids: number[];
  total: number;
  isDismissed: boolean;
  onDone: () => void;
}) {
  const [reason, setReason] = useState("");
  const meant = ids.length ? { ids, check: "" } : { ids: [], check };
  const dismiss = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/survey/dismiss", { body: { ...meant, reason } })),
    onSuccess: onDone,
  });
  const restore = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/survey/restore", { body: meant })),
    onSuccess: onDone,
  });
  const count = ids.length || total;
  if (isDismissed)
    return (
      <>
        <h2 className="margin-heading">Dismissed</h2>
        <button
          type="button"
          className="press w-full justify-center"
          disabled={restore.isPending}
          onClick={() => restore.mutate()}
        >
          Open {plural(count, "finding")} again
        </button>
        {restore.error && <Trouble error={restore.error} />}
      </>
    );
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        dismiss.mutate();
      }}
    >
      <h2 className="margin-heading">No fault</h2>
      <label className="block">
        <span className="quiet">Why not</span>
        <input
          className="field w-full"
          value={reason}
          onChange={(event) => setReason(event.target.value)}
          placeholder="the tape ran on"
        />
      </label>
      <button type="submit" className="press mt-2 w-full justify-center" disabled={dismiss.isPending || !reason.trim()}>
        Dismiss {plural(count, "finding")}
      </button>
      <p className="quiet mt-1 text-[12px]">They stay away until what they speak of changes.</p>
      {dismiss.error && <Trouble error={dismiss.error} />}
    </form>
  );
}

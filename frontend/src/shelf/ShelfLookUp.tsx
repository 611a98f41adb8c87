import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { answer, api, type ShelfLookUpLine } from "../api/client";
import { shelfLookUpQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { likely, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";

const GROUPS: [string, (line: ShelfLookUpLine) => boolean, string][] = [
  ["Sure", (line) => line.verdict === "sure", "The likeliest pressing is over 99.3 % likely."],
  [
    "To be looked at",
    (line) => line.verdict === "to be looked at",
    "Several pressings are possible, or one that is not likely enough.",
  ],
  [
    "Nothing found",
    (line) => line.verdict === "nothing found",
    "No source has it: ask by another number, or describe it by hand.",
  ],
  ["Not looked up yet", (line) => line.verdict === null, "Waiting, or nothing is known that could be asked."],
];

/** Every docket that is not described, looked up one after the other and sorted by what came of it. */
export function ShelfLookUp() {
  const cache = useQueryClient();
  const { data: state, error } = useQuery(shelfLookUpQuery);
  const [left, setLeft] = useState<ReadonlySet<number>>(new Set());
  const keep = (next: NonNullable<typeof state>) => cache.setQueryData(shelfLookUpQuery.queryKey, next);
  const begin = useMutation({
    mutationFn: (anew: boolean) => answer(api.POST("/api/v1/shelf-look-up", { body: { anew } })),
    onSuccess: keep,
  });
  const stop = useMutation({ mutationFn: () => answer(api.DELETE("/api/v1/shelf-look-up")), onSuccess: keep });
  const choose = useMutation({
    mutationFn: (ids: number[]) => answer(api.POST("/api/v1/shelf-look-up/choose", { body: { docket_ids: ids } })),
    onSuccess: (next) => {
      keep(next);
      void cache.invalidateQueries({ queryKey: ["docket"] });
      void cache.invalidateQueries({ queryKey: ["shelf"] });
    },
  });
  const lines = state?.lines ?? [];
  const sure = lines.filter((line) => line.verdict === "sure" && !line.chosen && !left.has(line.docket_id));
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Look up undescribed dockets</h1>
          <span className="quiet">{plural(lines.length, "docket")} not described</span>
          <button
            type="button"
            className="press press-main"
            disabled={state?.running ?? true}
            onClick={() => begin.mutate(false)}
          >
            Look up all of them
          </button>
          {state?.running ? (
            <button type="button" className="press" onClick={() => stop.mutate()}>
              Stop
            </button>
          ) : (
            <button type="button" className="press" onClick={() => begin.mutate(true)}>
              Ask again
            </button>
          )}
          <button
            type="button"
            className="press"
            disabled={sure.length === 0 || choose.isPending}
            onClick={() => choose.mutate(sure.map((line) => line.docket_id))}
          >
            {sure.length > 0 ? `Choose ${plural(sure.length, "sure one")}` : "No sure ones to choose"}
          </button>
        </>
      }
    >
      {(error ?? begin.error ?? stop.error ?? choose.error) && (
        <div className="px-5 py-3">
          <Trouble error={error ?? begin.error ?? stop.error ?? choose.error} />
        </div>
      )}
      {lines.length === 0 && state && <p className="p-8">Everything on the shelf is described.</p>}
      {GROUPS.map(([name, fits, words]) => {
        const group = lines.filter(fits);
        if (group.length === 0) return null;
        return (
          <section key={name} aria-label={name} className="px-5 py-3">
            <h2 className="text-base">
              {name} <span className="quiet font-sans text-[13px] font-normal">{words}</span>
            </h2>
            <table className="w-full border-collapse text-[13px]">
              <tbody>
                {group.map((line) => (
                  <tr key={line.docket_id} className="rule-b align-top">
                    <td className="w-8 py-1.5">
                      {line.verdict === "sure" && !line.chosen && (
                        <input
                          type="checkbox"
                          aria-label={`Choose for ${line.shelfmark}`}
                          checked={!left.has(line.docket_id)}
                          onChange={(event) =>
                            setLeft(
                              new Set(
                                event.target.checked
                                  ? [...left].filter((one) => one !== line.docket_id)
                                  : [...left, line.docket_id],
                              ),
                            )
                          }
                        />
                      )}
                    </td>
                    <td className="w-28 py-1.5">
                      <Link to={`/dockets/${line.docket_id}/sources`} className="figure text-primary">
                        {line.shelfmark}
                      </Link>
                    </td>
                    <td className="quiet w-32 py-1.5">{line.format}</td>
                    <td className="py-1.5 pr-3">
                      {line.best || <span className="quiet">{line.verdict ? "no pressing" : line.state}</span>}
                      {line.chosen && <span className="text-accent"> ✓ chosen</span>}
                      {line.changes.length > 0 && <Changes changes={line.changes} />}
                    </td>
                    <td className="figure w-24 py-1.5">{line.likelihood === null ? "" : likely(line.likelihood)}</td>
                    <td className="quiet w-1/3 py-1.5">
                      {line.state === "looking" || line.state === "waiting" ? line.state : line.reason}
                    </td>
                  </tr>
                ))}
              </tbody>
            </table>
          </section>
        );
      })}
    </Desk>
  );
}

/** What choosing would change, field by field, before and after. */
function Changes({ changes }: { changes: ShelfLookUpLine["changes"] }) {
  return (
    <details>
      <summary className="cursor-pointer text-primary">changes {plural(changes.length, "field")}</summary>
      <dl className="grid grid-cols-[auto_1fr] gap-x-3 py-1 text-[12px]">
        {changes.map((one) => (
          <div key={one.label} className="contents">
            <dt className="quiet">{one.label}</dt>
            <dd className="break-words">
              {one.before && (
                <>
                  <span className="line-through">{one.before}</span> →{" "}
                </>
              )}
              {one.after}
            </dd>
          </div>
        ))}
      </dl>
    </details>
  );
}

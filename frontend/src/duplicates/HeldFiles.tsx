import { useMutation, useQuery } from "@tanstack/react-query";

import { answer, api } from "../api/client";
import { heldQuery } from "../api/filesQueries";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";

const day = (iso: string) => new Date(iso).toLocaleDateString("en-GB", { dateStyle: "medium" });

/** The holding folder: what was set aside, until when, and the way back. */
export function HeldFiles() {
  const { data: held = [] } = useQuery(heldQuery);
  const back = useMutation({
    mutationFn: (ids: number[]) => answer(api.POST("/api/v1/held-files/restore", { body: { held_ids: ids } })),
  });
  if (held.length === 0) return null;
  const here = held.filter((one) => one.state === "held");
  return (
    <>
      <h2 className="margin-heading">Holding folder</h2>
      {here.length > 1 && (
        <button
          type="button"
          className="mb-1 text-primary"
          disabled={back.isPending}
          onClick={() => back.mutate(here.map((one) => one.id))}
        >
          Bring all {plural(here.length, "file")} back
        </button>
      )}
      <ul>
        {held.slice(0, 50).map((one) => (
          <li key={one.id} className="rule-b py-1">
            <span className="block break-words">{one.path}</span>
            <span className="quiet block text-[12px]">
              {one.reason}; until {day(one.until)}
            </span>
            {one.state === "held" ? (
              <button
                type="button"
                className="text-primary"
                disabled={back.isPending}
                aria-label={`Bring ${one.path} back`}
                onClick={() => back.mutate([one.id])}
              >
                Bring back
              </button>
            ) : (
              <span className="text-warning">{one.state}</span>
            )}
          </li>
        ))}
      </ul>
      {held.length > 50 && <p className="quiet">and {held.length - 50} more</p>}
      {back.error && <Trouble error={back.error} />}
    </>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type DocketLine } from "../api/client";
import { jobsQuery, restorationsQuery, startingPointsQuery } from "../api/queries";
import { SealMany } from "../packages/SealMany";
import { plural } from "../words/figures";
import { Trouble } from "../words/Trouble";

/** Many sides restored from one starting point: each as it is and as it becomes, then the jobs, then the way back. */
export function RestoreMany({ dockets, onClose }: { dockets: readonly DocketLine[]; onClose: () => void }) {
  const [name, setName] = useState("");
  const { data: points = [] } = useQuery(startingPointsQuery);
  const { data: jobs = [] } = useQuery(jobsQuery);
  const cache = useQueryClient();
  const ids = dockets.map((one) => one.id);
  const body = { docket_ids: ids, starting_point: name };
  const preview = useQuery({ ...restorationsQuery(ids, name), enabled: name !== "" && ids.length > 0 });
  const restore = useMutation({ mutationFn: () => answer(api.POST("/api/v1/restorations", { body })) });
  // What was begun is undone, whatever is selected by now.
  const undo = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/restorations/undo", { body: { job_ids: begun.map((job) => job.id) } })),
    onSuccess: () => {
      restore.reset();
      void cache.invalidateQueries();
    },
  });
  const begun = restore.data?.map((job) => jobs.find((one) => one.id === job.id) ?? job) ?? [];
  const ended = begun.filter((job) => job.state !== "waiting" && job.state !== "running");
  const failed = begun.filter((job) => job.state === "failed");
  const sides = preview.data ?? [];
  const possible = sides.filter((one) => !one.lacks);
  return (
    <section aria-label="Chosen dockets" className="rule-b bg-base-200 px-5 py-3">
      <div className="flex flex-wrap items-center gap-3">
        <b className="font-medium">{plural(dockets.length, "docket")} chosen</b>
        <label className="flex items-center gap-2">
          Restore from
          <select
            aria-label="Restore from"
            className="border border-base-300 bg-base-100 px-2 py-1"
            value={name}
            onChange={(event) => {
              setName(event.target.value);
              restore.reset();
            }}
          >
            <option value="">a starting point</option>
            {points.map(({ point }) => (
              <option key={point.name} value={point.name}>
                {point.name}
              </option>
            ))}
          </select>
        </label>
        {begun.length === 0 && (
          <button
            type="button"
            className="press press-main"
            disabled={possible.length === 0 || restore.isPending}
            onClick={() => restore.mutate()}
          >
            Restore {plural(possible.length, "side")}
          </button>
        )}
        {begun.length > 0 && (
          <span role="status">
            {ended.length < begun.length
              ? `${ended.length} of ${begun.length} done`
              : `${plural(begun.length - failed.length, "side")} restored`}
          </span>
        )}
        {begun.length > 0 && ended.length === begun.length && (
          <button
            type="button"
            className="press"
            disabled={undo.isPending}
            title={begun.map((job) => job.subject).join("; ")}
            onClick={() => undo.mutate()}
          >
            Undo for {plural(begun.length - failed.length, "side")}
          </button>
        )}
        {undo.data && begun.length === 0 && <span role="status">{plural(undo.data.sides, "side")} as before</span>}
        <button type="button" className="press ml-auto" onClick={onClose}>
          Choose none
        </button>
      </div>
      {failed.map((job) => (
        <p key={job.id} className="mt-1 text-error">
          {job.subject}: {job.failure?.what}
        </p>
      ))}
      {(preview.error ?? restore.error ?? undo.error) && (
        <Trouble error={preview.error ?? restore.error ?? undo.error} />
      )}
      {sides.length > 0 && begun.length === 0 && (
        <table className="mt-2 w-full max-w-4xl text-[13px]">
          <thead>
            <tr className="quiet text-left">
              <th className="font-medium">Side</th>
              <th className="font-medium">Now</th>
              <th className="font-medium">Then</th>
            </tr>
          </thead>
          <tbody>
            {sides.map((one) => (
              <tr key={one.side_id} className="border-t border-base-300">
                <td className="py-0.5 pr-4">
                  <span className="figure">{one.shelfmark}</span>, {one.side}
                </td>
                <td className="pr-4">{one.before || "no recording"}</td>
                <td className={one.lacks ? "quiet" : ""}>{one.lacks ? `left out: ${one.lacks}` : one.after}</td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      <SealMany dockets={dockets} />
    </section>
  );
}

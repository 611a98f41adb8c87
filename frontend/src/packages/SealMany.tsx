import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";

import { answer, api, type DocketLine } from "../api/client";
import { jobsQuery, profilesQuery } from "../api/queries";
import { percent, plural, timeLeft } from "../words/figures";
import { Trouble } from "../words/Trouble";

/** Seals many dockets at once: shows the progress of each and names what stands in the way; unchanged ones are left. */
export function SealMany({ dockets }: { dockets: readonly DocketLine[] }) {
  const { data: jobs = [] } = useQuery(jobsQuery);
  const { data: profiles = [] } = useQuery(profilesQuery);
  const [profile, setProfile] = useState("");
  const ids = dockets.map((one) => one.id);
  const choose = useMutation({
    mutationFn: (name: string) => answer(api.PUT("/api/v1/dockets-profile", { body: { docket_ids: ids, name } })),
  });
  const seal = useMutation({ mutationFn: () => answer(api.POST("/api/v1/seal-many", { body: { docket_ids: ids } })) });
  const asked = seal.data ?? [];
  const begun = asked.flatMap((one) => {
    const job = jobs.find((known) => known.id === one.job_id);
    return job ? [job] : [];
  });
  const ended = begun.filter((job) => job.state !== "waiting" && job.state !== "running");
  const share = begun.length
    ? begun.reduce((sum, job) => sum + (ended.includes(job) ? 1 : job.progress), 0) / begun.length
    : 0;
  const left = begun.reduce((sum, job) => Math.max(sum, job.time_left_s ?? 0), 0);
  const unchanged = asked.filter((one) => one.outcome === "as it is");
  const trouble = choose.error ?? seal.error;
  return (
    <div className="mt-2 border-t border-base-300 pt-2">
      <div className="flex flex-wrap items-center gap-3">
        <label className="flex items-center gap-2">
          Seal by
          <select
            aria-label="Profile for all chosen"
            className="field w-56"
            value={profile}
            onChange={(event) => {
              setProfile(event.target.value);
              if (event.target.value) choose.mutate(event.target.value);
            }}
          >
            <option value="">each its own profile</option>
            {profiles.map((one) => (
              <option key={one.name}>{one.name}</option>
            ))}
          </select>
        </label>
        <button
          type="button"
          className="press press-main"
          disabled={seal.isPending || choose.isPending || begun.length > ended.length}
          onClick={() => seal.mutate()}
        >
          Seal {plural(dockets.length, "docket")}
        </button>
        {begun.length > 0 && (
          <span role="status" className="flex items-center gap-2">
            <progress className="h-2 w-40 accent-primary" max={1} value={share} aria-label="Sealing all of them" />
            {ended.length < begun.length
              ? `${ended.length} of ${begun.length} sealed ${timeLeft(left)}`
              : `${plural(ended.filter((job) => job.state === "done").length, "docket")} sealed`}
          </span>
        )}
        {unchanged.length > 0 && <span className="quiet">{plural(unchanged.length, "docket")} as sealed before</span>}
      </div>
      {trouble && <Trouble error={trouble} />}
      {asked.length > 0 && (
        <ul className="mt-2 grid max-w-4xl gap-0.5 text-[13px]">
          {asked
            .filter((one) => one.outcome !== "as it is")
            .map((one) => {
              const job = jobs.find((known) => known.id === one.job_id);
              const failed = job?.state === "failed" || one.outcome === "not possible";
              return (
                <li key={one.docket_id} className="grid grid-cols-[120px_1fr] border-t border-base-300 py-0.5">
                  <Link className="figure text-primary hover:underline" to={`/dockets/${one.docket_id}/seal`}>
                    {one.shelfmark}
                  </Link>
                  <span className={failed ? "text-error" : ""}>
                    {job?.state === "running"
                      ? `${percent(job.progress)} ${job.message}`
                      : job?.state === "done"
                        ? "sealed, every file proven"
                        : job?.state === "failed"
                          ? `${job.failure?.what} ${job.failure?.remedy ?? ""}`
                          : job?.state === "cancelled"
                            ? "cancelled"
                            : one.words}
                  </span>
                </li>
              );
            })}
        </ul>
      )}
    </div>
  );
}

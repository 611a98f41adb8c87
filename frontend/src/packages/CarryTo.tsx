import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Package } from "../api/client";
import { fitQuery, jobsQuery, targetsQuery } from "../api/queries";
import { Trouble, TroubleText } from "../words/Trouble";

/** A part of a package to a folder that players read: what they cannot show is said before it goes. */
export function CarryTo({ pack }: { pack: Package }) {
  const { data: targets = [] } = useQuery(targetsQuery);
  const { data: jobs = [] } = useQuery(jobsQuery);
  const parts = ["Masters", ...pack.album.parts.map((one) => one.name)];
  const [part, setPart] = useState(parts.find((one) => /^(MP3|AAC|Opus|Vorbis)/.test(one)) ?? "Masters");
  const [target, setTarget] = useState("");
  const query = { part, target };
  const fit = useQuery({ ...fitQuery(pack.id, part, target), enabled: target !== "" });
  const carry = useMutation({
    mutationFn: () =>
      answer(api.POST("/api/v1/packages/{package_id}/carry", { params: { path: { package_id: pack.id }, query } })),
  });
  const job = jobs.find((one) => one.id === carry.data?.id) ?? carry.data;
  if (pack.album.package.length === 0) return null;
  return (
    <>
      <h2 className="margin-heading">To a player</h2>
      <div className="grid gap-1.5">
        <select
          aria-label="Part to carry"
          className="field"
          value={part}
          onChange={(event) => {
            setPart(event.target.value);
            carry.reset();
          }}
        >
          {parts.map((one) => (
            <option key={one}>{one}</option>
          ))}
        </select>
        <select
          aria-label="Target"
          className="field"
          value={target}
          onChange={(event) => {
            setTarget(event.target.value);
            carry.reset();
          }}
        >
          <option value="">where to</option>
          {targets.map((one) => (
            <option key={one.target.name}>{one.target.name}</option>
          ))}
        </select>
      </div>
      {fit.data && (
        <>
          {fit.data.misfits.map((words) => (
            <p key={words} className="mt-1 text-error">
              {words}
            </p>
          ))}
          {fit.data.misfits.length === 0 && <p className="mt-1 text-accent">It can show all of it.</p>}
          <p className="quiet mt-1 break-words text-[12px]">
            {fit.data.files} files to <span className="figure">{fit.data.folder}</span>
          </p>
          <button type="button" className="press mt-1" disabled={carry.isPending} onClick={() => carry.mutate()}>
            Carry it there
          </button>
        </>
      )}
      {job?.state === "done" && (
        <p role="status" className="mt-1">
          Carried, every file read back.
        </p>
      )}
      {job?.state === "failed" && job.failure && <TroubleText {...job.failure} />}
      {(fit.error ?? carry.error) && <Trouble error={fit.error ?? carry.error} />}
    </>
  );
}

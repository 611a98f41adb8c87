import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { answer, api, type BurnDisc, type Package } from "../api/client";
import { discsToBurnQuery, jobsQuery } from "../api/queries";
import { percent } from "../words/figures";
import { Trouble, TroubleText } from "../words/Trouble";

/** Images for burning of a package: made when they are asked for. */
export function ToBurn({ pack }: { pack: Package }) {
  const { data: discs = [] } = useQuery(discsToBurnQuery(pack.id));
  if (pack.album.package.length === 0) return null;
  return (
    <>
      <h2 className="margin-heading">As a disc again</h2>
      <p className="quiet mb-1">16 bit, 44.1 kHz, every cut on a frame and not a sample lost, with its cue sheet.</p>
      <ul>
        {discs.map((one) => (
          <Disc key={one.name} pack={pack} one={one} />
        ))}
      </ul>
    </>
  );
}

function Disc({ pack, one }: { pack: Package; one: BurnDisc }) {
  const cache = useQueryClient();
  const { data: jobs = [] } = useQuery(jobsQuery);
  const path = { package_id: pack.id, name: one.name };
  const make = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/packages/{package_id}/discs/{name}", { params: { path } })),
    onSuccess: () => void cache.invalidateQueries({ queryKey: discsToBurnQuery(pack.id).queryKey }),
  });
  const job = jobs.find((known) => known.id === (make.data?.id ?? one.job?.id)) ?? one.job;
  const busy = job?.state === "running" || job?.state === "waiting";
  return (
    <li className="flex flex-wrap items-baseline gap-2 py-0.5">
      <span>{one.name}</span>
      {busy && <span className="figure quiet">{percent(job.progress)}</span>}
      {!busy && (
        <button
          type="button"
          className="ml-auto text-primary hover:underline"
          disabled={make.isPending}
          onClick={() => make.mutate()}
        >
          {one.made ? "Make it anew" : "Make an image"}
        </button>
      )}
      {one.made && !busy && (
        <a
          className="text-primary hover:underline"
          href={`/api/v1/packages/${pack.id}/discs/${encodeURIComponent(one.name)}/image.zip`}
          download
        >
          Image as ZIP
        </a>
      )}
      {make.error && <Trouble error={make.error} />}
      {job?.state === "failed" && job.failure && !busy && <TroubleText {...job.failure} />}
    </li>
  );
}

import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Pause, Play, X } from "lucide-react";
import { useRef, useState } from "react";

import { answer, api, type Job } from "../api/client";
import { withJob } from "../api/events";
import { jobsQuery } from "../api/queries";
import { type Hearing, player, useHearing, useListenFor } from "../player/player";
import { LISTEN_FOR, LISTEN_NAMES } from "../player/programme";
import { type TrackHeard, trackPlayer, useTrackHeard } from "../player/track";
import { useFrames } from "../player/useFrames";
import { clock, level, percent, timeLeft } from "../words/figures";
import { sentence } from "../words/Trouble";
import { useLevelReader } from "./levels";

/** Bottom: what is heard, where it is, how loud; and the jobs that run. */
export function Foot() {
  return (
    <footer className="flex h-9 items-center gap-4 border-t border-base-300 bg-base-200 px-4 text-[13px]">
      <HearingNow />
      <div className="ml-auto flex min-w-0 items-center gap-4">
        <Jobs />
      </div>
    </footer>
  );
}

function HearingNow() {
  const hearing = useHearing();
  const track = useTrackHeard();
  const clockText = useRef<HTMLSpanElement>(null);
  const levelText = useRef<HTMLSpanElement>(null);
  const readLevel = useLevelReader(hearing?.takeId ?? null);
  useFrames(!!hearing?.playing, () => {
    const position = player.position();
    if (!hearing || position === null) return;
    if (clockText.current) clockText.current.textContent = clock(position, hearing.rateHz);
    const peak = readLevel(position);
    if (levelText.current)
      levelText.current.textContent = Number.isNaN(peak) ? "" : level(peak > 0 ? 20 * Math.log10(peak) : null);
  });
  if (track) return <TrackNow track={track} />;
  if (!hearing) return <span className="quiet">Nothing is playing. Click into a side to hear from there.</span>;
  return (
    <>
      <button
        type="button"
        className="press !px-2 !py-0.5"
        onClick={() => player.toggle()}
        aria-label={hearing.playing ? "Stop" : "Play"}
      >
        {hearing.playing ? <Pause size={14} aria-hidden /> : <Play size={14} aria-hidden />}
      </button>
      <span ref={clockText} className="figure w-20" data-testid="position" />
      <span className="max-w-72 truncate">{hearing.name}</span>
      <ListenFor hearing={hearing} />
      <span ref={levelText} className="figure quiet w-24" />
      {hearing.trouble && <span className="text-error">{sentence(hearing.trouble)}</span>}
    </>
  );
}

/** A whole track or file, from the collection. */
function TrackNow({ track }: { track: TrackHeard }) {
  const clockText = useRef<HTMLSpanElement>(null);
  useFrames(track.playing, () => {
    if (clockText.current) clockText.current.textContent = clock(trackPlayer.seconds(), 1);
  });
  return (
    <>
      <button
        type="button"
        className="press !px-2 !py-0.5"
        onClick={() => trackPlayer.toggle()}
        aria-label={track.playing ? "Stop" : "Play"}
      >
        {track.playing ? <Pause size={14} aria-hidden /> : <Play size={14} aria-hidden />}
      </button>
      <span ref={clockText} className="figure w-20" data-testid="position" />
      <span className="max-w-96 truncate">{track.name}</span>
      {track.trouble && <span className="text-error">{sentence(track.trouble)}</span>}
    </>
  );
}

/** What one listens for: nothing to choose where nothing is done to the sound. */
function ListenFor({ hearing }: { hearing: Hearing }) {
  const wanted = useListenFor();
  if (!hearing.side) return <span className="quiet">as it was</span>;
  return (
    <span role="group" aria-label="Listen for" className="flex items-center gap-3">
      <span className="quiet">Listen for</span>
      {LISTEN_FOR.map((name, index) => (
        <button
          key={name}
          type="button"
          aria-pressed={wanted === name}
          title={`Key ${index + 1}`}
          className={
            wanted === name
              ? "border-b-2 border-error font-semibold"
              : "border-b-2 border-transparent text-primary hover:border-primary"
          }
          onClick={() => player.listenFor(name)}
        >
          {LISTEN_NAMES[name]}
        </button>
      ))}
    </span>
  );
}

function Jobs() {
  const { data: jobs = [] } = useQuery(jobsQuery);
  const [dismissed, setDismissed] = useState<readonly number[]>([]);
  const [opened] = useState(() => Date.now());
  const busy = jobs.filter((job) => job.state === "running" || job.state === "waiting");
  const failed = jobs.filter(
    (job) => job.state === "failed" && !dismissed.includes(job.id) && Date.parse(job.ended_at ?? "") > opened,
  );
  const last = failed[0];
  return (
    <>
      {last?.failure && (
        <span role="alert" className="flex min-w-0 items-center gap-2 text-error">
          <span className="truncate">
            Failed: {last.kind}, {last.failure.where ?? last.subject}: {last.failure.what}
          </span>
          <button type="button" aria-label="Dismiss" onClick={() => setDismissed([...dismissed, last.id])}>
            <X size={14} aria-hidden />
          </button>
        </span>
      )}
      {busy.slice(0, 2).map((job) => (
        <Running key={job.id} job={job} />
      ))}
      {busy.length > 2 && <span className="quiet">and {busy.length - 2} more</span>}
    </>
  );
}

function Running({ job }: { job: Job }) {
  const cache = useQueryClient();
  const cancel = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/jobs/{job_id}/cancel", { params: { path: { job_id: job.id } } })),
    onSuccess: (after) => cache.setQueryData(jobsQuery.queryKey, (jobs) => withJob(jobs ?? [], after)),
  });
  return (
    <span className="flex items-center gap-2 whitespace-nowrap" title={job.message}>
      <span>
        {job.kind}: {job.subject}
      </span>
      <progress
        className="h-1.5 w-24 accent-primary"
        max={1}
        value={job.progress}
        aria-label={`${job.kind} ${job.subject}`}
      />
      <span className="figure">{job.state === "waiting" ? "waiting" : percent(job.progress)}</span>
      <span className="quiet">{timeLeft(job.time_left_s)}</span>
      <button type="button" className="text-primary" onClick={() => cancel.mutate()} disabled={cancel.isPending}>
        Cancel
      </button>
    </span>
  );
}

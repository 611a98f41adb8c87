import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { Link } from "react-router";

import { answer, api, type Job, type LaneState, type Session, type Worker, type Workers } from "../api/client";
import { sessionQuery } from "../api/queries";
import { Desk } from "../frame/Desk";
import { moment, percent, plural, timeLeft } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { workersQuery } from "./queries";

/** What each lane is for, in the order in which they are served. */
const LANES: Record<LaneState["lane"], string> = {
  quick: "somebody waits for it at the screen",
  steady: "minutes of work: sealing, writing files",
  bulk: "hours of work: audits, surveys, comparisons",
  device: "reading discs, at the server's own drives",
};

const INKS: Record<Worker["state"], string> = {
  working: "text-accent",
  idle: "quiet",
  draining: "text-warning",
  "not heard of": "text-error",
};

/** Who runs the jobs, on which machine, and what waits for whom. */
export function WorkersPage() {
  const { data: seen, error } = useQuery(workersQuery);
  const { data: session } = useQuery(sessionQuery);
  const cache = useQueryClient();
  const drain = useMutation({
    mutationFn: (workerId: number) =>
      answer(api.POST("/api/v1/workers/{worker_id}/drain", { params: { path: { worker_id: workerId } } })),
    onSuccess: (after: Workers) => cache.setQueryData(workersQuery.queryKey, after),
  });
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Workers</h1>
          <span className="quiet">{seen && inShort(seen)}</span>
        </>
      }
      margin={seen && <Lanes lanes={seen.lanes} alone={seen.alone} />}
    >
      {(error ?? drain.error) && (
        <div className="px-5 pt-3">
          <Trouble error={error ?? drain.error} />
        </div>
      )}
      {seen && (
        <table className="w-full border-collapse">
          <thead>
            <tr className="quiet text-left text-[13px]">
              <th className="py-2 pl-5 font-normal">Machine</th>
              <th className="px-4 font-normal">State</th>
              <th className="font-normal">Takes</th>
              <th className="font-normal">Runs now</th>
              <th aria-label="What can be done" />
            </tr>
          </thead>
          <tbody>
            {seen.workers.map((one) => (
              <Line
                key={one.name}
                one={one}
                onDrain={mayDrain(session, one) ? () => drain.mutate(one.id ?? 0) : null}
              />
            ))}
          </tbody>
        </table>
      )}
    </Desk>
  );
}

const mayDrain = (session: Session | undefined, one: Worker): boolean =>
  session?.role === "keeper" && !one.is_server && (one.state === "working" || one.state === "idle");

function inShort({ alone, workers }: Workers): string {
  if (alone) return "this server runs all jobs itself";
  const machines = new Set(workers.map((one) => one.host)).size;
  return `${plural(workers.length, "process", "processes")} on ${plural(machines, "machine")}`;
}

function Line({ one, onDrain }: { one: Worker; onDrain: (() => void) | null }) {
  return (
    <tr className="rule-b align-top">
      <td className="py-2 pl-5">
        <span className="font-serif text-[16px]">{one.host}</span>
        <span className="quiet block text-[12px]">
          {one.is_server ? `server${one.node ? ` ${one.node}` : ""}, process ` : "process "}
          <span className="figure">{one.name.slice(one.name.lastIndexOf(" ") + 1)}</span>, version {one.version}
          {one.is_other_version && <span className="text-warning"> (another one than the server&rsquo;s)</span>}
        </span>
      </td>
      <td className={`whitespace-nowrap px-4 py-2 ${INKS[one.state]}`}>
        {one.state}
        {one.state === "not heard of" && one.seen_at && (
          <span className="block text-[12px]">since {moment(one.seen_at)}: its jobs go to others</span>
        )}
        {one.state === "draining" && <span className="block text-[12px]">leaves when its jobs have ended</span>}
      </td>
      <td className="whitespace-nowrap py-2 pr-4">
        {one.lanes.join(", ")}
        <span className="quiet block text-[12px]">
          {plural(one.processes, "job")} at a time, {plural(one.cores, "core")}
        </span>
      </td>
      <td className="w-2/5 py-2">
        {one.jobs.length === 0 && <span className="quiet">nothing</span>}
        {one.jobs.map((job) => (
          <Running key={job.id} job={job} />
        ))}
      </td>
      <td className="py-2 pr-5 text-right">
        {onDrain && (
          <button
            type="button"
            className="press"
            aria-label={`Drain ${one.name}`}
            title="It begins no other job, and leaves when those it runs have ended"
            onClick={onDrain}
          >
            Drain
          </button>
        )}
      </td>
    </tr>
  );
}

function Running({ job }: { job: Job }) {
  const what = `${job.kind}: ${job.subject}`;
  return (
    <div className="flex items-center gap-2">
      {job.docket_id === null ? (
        <span className="truncate">{what}</span>
      ) : (
        <Link className="truncate text-primary hover:underline" to={`/dockets/${job.docket_id}`}>
          {what}
        </Link>
      )}
      <progress className="h-1.5 w-20 shrink-0 accent-primary" max={1} value={job.progress} aria-label={what} />
      <span className="figure whitespace-nowrap">{percent(job.progress)}</span>
      <span className="quiet whitespace-nowrap">{timeLeft(job.time_left_s)}</span>
    </div>
  );
}

function Lanes({ lanes, alone }: { lanes: LaneState[]; alone: boolean }) {
  return (
    <>
      <h2 className="margin-heading">Queues</h2>
      <dl>
        {lanes.map((one) => (
          <div key={one.lane} className="mb-3">
            <dt className="font-medium">{one.lane}</dt>
            <dd className="quiet">{LANES[one.lane]}</dd>
            <dd className="figure">
              {one.waiting} waiting, {one.running} running
            </dd>
            {one.waits_since && <dd className="quiet">the oldest was asked for {moment(one.waits_since)}</dd>}
            {one.waiting > 0 && !one.has_worker && (
              <dd className="text-error">No worker takes these. Start one: ./inkwell worker --lanes {one.lane}</dd>
            )}
          </div>
        ))}
      </dl>
      {alone && (
        <p className="quiet border-t border-base-300 pt-3">
          Other machines can help: start the server with INKWELL_ENGINE=celery and a broker, and ./inkwell worker on
          each of them.
        </p>
      )}
    </>
  );
}

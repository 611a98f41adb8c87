import { useQuery } from "@tanstack/react-query";
import { clsx } from "clsx";
import { useState } from "react";

import type { Operations, OperationsMoment } from "../api/client";
import { Desk } from "../frame/Desk";
import { moment, plural, size } from "../words/figures";
import { Trouble } from "../words/Trouble";
import { Course, spanMin } from "./Course";
import { operationsQuery } from "./queries";

const SPANS = [1, 6, 24];

interface Figure {
  title: string;
  of: (one: OperationsMoment) => number | null;
  written: (value: number) => string;
  /** Below this a course is drawn against it, so that nothing much does not look like much. */
  least: number;
  worst?: "least";
}

const whole = (value: number) => Math.round(value).toLocaleString("en-GB");
const lasting = (seconds: number) =>
  seconds < 90
    ? `${Math.round(seconds)} s`
    : seconds < 5400
      ? `${Math.round(seconds / 60)} min`
      : `${(seconds / 3600).toFixed(1)} h`;

const FIGURES: Figure[] = [
  { title: "Jobs that wait", of: (one) => one.waiting, written: whole, least: 10 },
  { title: "Longest wait of a job", of: (one) => one.waits_s, written: lasting, least: 60 },
  { title: "Requests a minute", of: (one) => one.requests_per_min, written: whole, least: 60 },
  { title: "Answers that failed", of: (one) => one.failures, written: whole, least: 4 },
  { title: "Time to an answer", of: (one) => one.answer_ms, written: (ms) => `${whole(ms)} ms`, least: 100 },
  { title: "Room on the disk", of: (one) => one.left_bytes, written: size, least: 1, worst: "least" },
];

/** How this server is and was: for keepers. */
export function OperationsPage() {
  const [hours, setHours] = useState(6);
  const { data: seen, error } = useQuery(operationsQuery(hours));
  return (
    <Desk
      title={
        <>
          <h1 className="text-xl">Operations</h1>
          <span className="quiet">{seen && inShort(seen)}</span>
          <label className="ml-auto flex items-center gap-2 text-[13px]">
            Shown
            <select
              className="select select-sm w-auto"
              value={hours}
              onChange={(event) => setHours(Number(event.target.value))}
            >
              {SPANS.map((one) => (
                <option key={one} value={one}>
                  {one === 1 ? "the last hour" : `the last ${one} hours`}
                </option>
              ))}
            </select>
          </label>
        </>
      }
      margin={seen && <Parts parts={seen.parts} />}
    >
      {error && (
        <div className="px-5 pt-3">
          <Trouble error={error} />
        </div>
      )}
      {seen && (
        <>
          <div className="grid grid-cols-[repeat(auto-fill,minmax(17rem,1fr))] gap-x-8 gap-y-6 p-5">
            {FIGURES.map((one) => (
              <Course key={one.title} moments={seen.moments} minutes={spanMin(seen.moments, hours)} {...one} />
            ))}
          </div>
          <Failed failed={seen.failed} />
        </>
      )}
    </Desk>
  );
}

function inShort({ parts }: Operations): string {
  const wrong = parts.filter((one) => !one.is_well).length;
  return wrong ? `${plural(wrong, "part")} not as it must be` : "all is well";
}

function Parts({ parts }: { parts: Operations["parts"] }) {
  return (
    <section aria-label="Parts" className="p-4">
      <h2 className="mb-2 text-base">Parts</h2>
      <dl>
        {parts.map((one) => (
          <div key={one.name} className="rule-b py-2">
            <dt className="flex items-baseline justify-between">
              {one.name}
              <span className={clsx("text-[12px]", one.is_well ? "quiet" : "text-error")}>
                {one.is_well ? "well" : "not well"}
              </span>
            </dt>
            <dd className="quiet text-[13px]">{one.words}</dd>
          </div>
        ))}
      </dl>
    </section>
  );
}

function Failed({ failed }: { failed: Operations["failed"] }) {
  return (
    <section aria-label="Jobs that failed" className="px-5 pb-6">
      <h2 className="rule-b mb-2 pb-1 text-base">Jobs that failed within a day</h2>
      {failed.length === 0 && <p className="quiet">None.</p>}
      {failed.map((one) => (
        <p key={one.kind} className="py-1.5">
          <span className="figure mr-2">{one.count}</span>
          {one.kind}, the newest on {moment(one.newest_at)}
          {one.newest && (
            <span className="quiet block text-[13px]">
              {[one.newest.where, one.newest.what, one.newest.remedy].filter(Boolean).join(". ")}
            </span>
          )}
        </p>
      ))}
    </section>
  );
}

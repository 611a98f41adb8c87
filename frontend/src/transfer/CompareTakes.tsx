import { useMutation, useQuery } from "@tanstack/react-query";
import { useState } from "react";

import { answer, api, type Comparison, type Side, type Take } from "../api/client";
import { comparisonQuery, jobsQuery } from "../api/queries";
import { asItCame } from "../docket/sideSound";
import { player } from "../player/player";
import { clock, level, percent, plural } from "../words/figures";
import { Trouble } from "../words/Trouble";

const SHOWN = 8;

/** Two takes of a side beside each other, and which of them counts. */
export function CompareTakes({ side }: { side: Side }) {
  const [pair, setPair] = useState(() => [side.takes[0]?.id ?? 0, side.takes[side.takes.length - 1]?.id ?? 0] as const);
  const [first, second] = pair.map((id) => side.takes.find((take) => take.id === id));
  const ask = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/comparisons", { body: { first_id: pair[0], second_id: pair[1] } })),
  });
  const join = useMutation({
    mutationFn: () =>
      answer(
        api.POST("/api/v1/sides/{side_id}/joined-takes", {
          params: { path: { side_id: side.id } },
          body: { take_ids: [...pair] },
        }),
      ),
  });
  const { data: jobs = [] } = useQuery(jobsQuery);
  const job = jobs.find((one) => one.id === ask.data?.id);
  const { data: found, error } = useQuery({ ...comparisonQuery(ask.data?.id ?? 0), enabled: job?.state === "done" });
  if (!first || !second) return null;
  return (
    <div className="mt-2 border-t border-base-300 pt-2" aria-label={`Takes of side ${side.letter}`} role="region">
      <div className="mb-2 flex flex-wrap items-center gap-2">
        <TakeChoice label="First take" side={side} value={pair[0]} onChange={(id) => setPair([id, pair[1]])} />
        <TakeChoice label="Second take" side={side} value={pair[1]} onChange={(id) => setPair([pair[0], id])} />
        <button
          type="button"
          className="press press-main"
          disabled={first === second || ask.isPending}
          onClick={() => ask.mutate()}
        >
          Compare
        </button>
        <button
          type="button"
          className="press"
          disabled={first === second || join.isPending}
          onClick={() => join.mutate()}
          title="A new take with the second behind the first; both stay"
        >
          Join them, first then second
        </button>
        {job && job.state !== "done" && (
          <span className="quiet">
            {job.state} {percent(job.progress)}
          </span>
        )}
      </div>
      {(ask.error ?? join.error ?? error) && <Trouble error={ask.error ?? join.error ?? error} />}
      {found && <Found side={side} first={first} second={second} found={found} />}
    </div>
  );
}

function TakeChoice({
  label,
  side,
  value,
  onChange,
}: {
  label: string;
  side: Side;
  value: number;
  onChange: (id: number) => void;
}) {
  return (
    <select
      aria-label={label}
      className="max-w-64 border border-base-300 bg-base-100 px-2 py-1"
      value={value}
      onChange={(event) => onChange(Number(event.target.value))}
    >
      {side.takes.map((take) => (
        <option key={take.id} value={take.id}>
          {take.name}
        </option>
      ))}
    </select>
  );
}

function Found({ side, first, second, found }: { side: Side; first: Take; second: Take; found: Comparison }) {
  const rows: [string, (facts: Comparison["first"]) => string][] = [
    ["Length", (facts) => clock(facts.duration_s, 1, 1)],
    ["Peak", (facts) => level(facts.peak_dbfs)],
    ["RMS", (facts) => level(facts.rms_dbfs)],
    ["Noise floor", (facts) => level(facts.noise_floor_dbfs)],
    ["Clicks", (facts) => `${facts.clicks_per_minute.toFixed(1)} a minute`],
  ];
  return (
    <div className="grid grid-cols-[auto_1fr] gap-x-8">
      <table className="text-[13px]">
        <thead>
          <tr className="quiet text-left">
            <th />
            {[first, second].map((take, index) => (
              <th key={take.id} className="pr-5 font-medium">
                {index ? "second" : "first"} <Choose side={side} take={take} />
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(([name, value]) => (
            <tr key={name}>
              <td className="quiet pr-4">{name}</td>
              <td className="figure pr-5">{value(found.first)}</td>
              <td className="figure pr-5">{value(found.second)}</td>
            </tr>
          ))}
        </tbody>
      </table>
      <div>
        <p className="mb-1">{summary(found)}</p>
        <ul>
          {found.differences.slice(0, SHOWN).map((one) => (
            <li key={`${one.kind} ${one.start_sample}`}>
              <button
                type="button"
                className="figure text-primary underline-offset-2 hover:underline"
                onClick={() => player.play(asItCame(first), Math.max(0, one.start_sample - first.format.rate_hz))}
              >
                {clock(one.start_sample, first.format.rate_hz, 1)}
              </button>{" "}
              {one.words}
            </li>
          ))}
          {found.differences.length > SHOWN && (
            <li className="quiet">and {found.differences.length - SHOWN} places more</li>
          )}
        </ul>
      </div>
    </div>
  );
}

function Choose({ side, take }: { side: Side; take: Take }) {
  const choose = useMutation({
    mutationFn: () =>
      answer(
        api.PUT("/api/v1/sides/{side_id}/chosen-take", {
          params: { path: { side_id: side.id } },
          body: { take_id: take.id },
        }),
      ),
  });
  if (side.chosen_take_id === take.id) return <span className="text-accent">(counts)</span>;
  return (
    <button type="button" className="press !px-2 !py-0" onClick={() => choose.mutate()}>
      Use this take
    </button>
  );
}

function summary(found: Comparison): string {
  if (!found.same_recording)
    return "These two do not lie over each other: they are not the same side, or one holds next to nothing.";
  const parts = [];
  if (found.level_db !== null)
    parts.push(
      Math.abs(found.level_db) < 0.1
        ? "equally loud"
        : `the second ${Math.abs(found.level_db).toFixed(1)} dB ${found.level_db > 0 ? "louder" : "softer"}`,
    );
  if (found.speed_ratio !== null) {
    const percentOff = (found.speed_ratio - 1) * 100;
    parts.push(
      Math.abs(percentOff) < 0.02
        ? "at the same speed"
        : `${Math.abs(percentOff).toFixed(2)} % ${percentOff > 0 ? "faster" : "slower"}`,
    );
  }
  parts.push(
    found.differences.length
      ? `${plural(found.differences.length, "place")} where they differ`
      : "no place where they differ",
  );
  return `${parts.join(", ")}.`.replace(/^./, (char) => char.toUpperCase());
}

import { useState } from "react";

import type { Docket, Side, Transfer } from "../api/client";
import { chosenTake, sidesOf } from "../docket/useDocket";
import { clock, level, plural, shortClock } from "../words/figures";
import { CompareTakes } from "./CompareTakes";
import type { TransferDoing } from "./useTransfer";

const TOLERANCE = 0.05;

/** What is expected and what was recorded, side by side. */
export function SidesTable({
  docket,
  transfer,
  doing,
}: {
  docket: Docket;
  transfer: Transfer | null;
  doing: TransferDoing;
}) {
  const [comparing, setComparing] = useState<Side | null>(null);
  const choose = (side: Side) => transfer && doing.settings.mutate({ ...transfer.settings, side_id: side.id });
  const isBusy = transfer?.state === "recording" || transfer?.state === "paused";
  return (
    <section aria-label="Sides" className={`px-5 py-2 ${transfer ? "mt-auto" : ""}`}>
      <table className="w-full text-[13px]">
        <thead>
          <tr className="quiet text-left">
            <th className="py-1 font-medium">Side</th>
            <th className="font-medium">Expected</th>
            <th className="font-medium">Recorded</th>
            <th className="font-medium">Peak</th>
            <th className="font-medium">Standing</th>
            <th aria-label="What can be done" />
          </tr>
        </thead>
        <tbody>
          {sidesOf(docket).map((side) => {
            const take = chosenTake(side);
            const isNext = transfer?.settings.side_id === side.id;
            return (
              <tr key={side.id} className={`border-t border-base-300 ${isNext ? "bg-base-200" : ""}`}>
                <td className="py-1.5 font-medium">{side.name}</td>
                <td className="figure">
                  {side.expected_s === null ? <span className="quiet">not said</span> : shortClock(side.expected_s)}
                </td>
                <td className="figure">{take ? clock(lengthOf(side), take.format.rate_hz, 1) : ""}</td>
                <td className="figure">{take ? level(take.sample_peak_dbfs) : ""}</td>
                <td>
                  {transfer?.recording?.side_id === side.id ? (
                    <span className="text-error">{transfer.state}</span>
                  ) : (
                    <Standing side={side} next={isNext ? (isBusy ? "in this take" : "is next") : null} />
                  )}
                </td>
                <td className="py-1 text-right">
                  {side.takes.length > 1 && (
                    <button
                      type="button"
                      className="press !py-0.5 mr-2"
                      onClick={() => setComparing(comparing?.id === side.id ? null : side)}
                    >
                      Compare {plural(side.takes.length, "take")}
                    </button>
                  )}
                  {transfer && !isNext && !isBusy && (
                    <button type="button" className="press !py-0.5" onClick={() => choose(side)}>
                      {take ? "Record it again" : "Record this side"}
                    </button>
                  )}
                </td>
              </tr>
            );
          })}
        </tbody>
      </table>
      {comparing && (
        <CompareTakes key={comparing.id} side={sidesOf(docket).find((one) => one.id === comparing.id) ?? comparing} />
      )}
    </section>
  );
}

/** The length of a side within its chosen take. */
function lengthOf(side: Side): number {
  const plan = side.plan?.plan;
  if (!plan) return 0;
  return (plan.side_end_sample ?? plan.take_samples) - (plan.side_start_sample ?? 0);
}

function Standing({ side, next }: { side: Side; next: string | null }) {
  const take = chosenTake(side);
  if (!take) return <span className="quiet">{next ?? "still to come"}</span>;
  const faults = take.transferred?.faults.length ?? 0;
  if (faults) return <span className="font-medium text-error">{plural(faults, "fault")} while recording</span>;
  if (take.clipped_runs) return <span className="font-medium text-error">clipped {take.clipped_runs} times</span>;
  const recordedS = lengthOf(side) / take.format.rate_hz;
  if (side.expected_s !== null && recordedS < side.expected_s * (1 - TOLERANCE))
    return <span className="text-warning">shorter than expected by {shortClock(side.expected_s - recordedS)}</span>;
  return (
    <span className="text-accent">{side.takes.length > 1 ? `${side.takes.length} takes, one chosen` : "recorded"}</span>
  );
}

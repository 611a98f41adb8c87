import { useState } from "react";

import type { LedgerLine } from "../api/client";
import { clockOf } from "./days";
import type { useTakingEntriesBack } from "./useTakingEntriesBack";

/** A day's heading and, once it was seen what that would be, the way back from all of it. */
export function TakeDayBack({
  day,
  lines,
  back,
}: {
  day: string;
  lines: readonly LedgerLine[];
  back: ReturnType<typeof useTakingEntriesBack>;
}) {
  const [isAsked, setAsked] = useState(false);
  const some = lines.filter((one) => one.way_back !== null);
  const canGo = some.length > 1 && some.some((one) => one.way_back === "open");
  const begin = () => {
    setAsked(false);
    back.mutate(some.map((one) => one.id));
  };
  return (
    <>
      <h2 className="flex items-baseline gap-3 px-5 pb-1 pt-4 text-base">
        {day}
        {canGo && !isAsked && (
          <button
            type="button"
            className="font-sans text-[13px] font-medium text-primary"
            disabled={back.isPending}
            onClick={() => setAsked(true)}
          >
            Take back all {some.length}
          </button>
        )}
      </h2>
      {canGo && isAsked && (
        <div role="group" aria-label={`Take back ${day}`} className="rule-b bg-base-200 px-5 py-3">
          <p>These go back, the newest first. What was changed later stays as it is, and is told.</p>
          <ol className="my-2 max-h-48 overflow-auto text-[13px]">
            {some.map((one) => (
              <li key={one.id}>
                <span className="figure quiet mr-3">{clockOf(one.at)}</span>
                {one.shelfmark && <span className="figure mr-2">{one.shelfmark}</span>}
                {one.action}
              </li>
            ))}
          </ol>
          <button type="button" className="press press-main mr-2" onClick={begin}>
            Take back these {some.length}
          </button>
          <button type="button" className="press" onClick={() => setAsked(false)}>
            Leave them
          </button>
        </div>
      )}
    </>
  );
}

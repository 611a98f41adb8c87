import type { Docket, HearingState, Side } from "../api/client";
import { percent } from "../words/figures";
import { LEARN, useBusy } from "./useRepairing";

/** Whether what is heard is what will be sealed. */
export function Standing({ state, docket, side }: { state: HearingState | null; docket: Docket; side: Side }) {
  const busy = useBusy(docket, side, LEARN);
  if (!state || (state.exact && !busy)) return null;
  if (state.lacks === "scan")
    return <p className="mt-3 border-l-2 border-warning pl-2">The damage is to be looked for first, under Damage.</p>;
  return (
    <p className="mt-3 border-l-2 border-warning pl-2">
      {busy
        ? `The whole side is being analysed, ${percent(busy.progress)}; ` +
          "until then hum, hiss and level go by the analysis before."
        : "The whole side is still to be heard for hum, hiss, dropouts or level."}
    </p>
  );
}

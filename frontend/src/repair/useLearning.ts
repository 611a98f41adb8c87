import { useEffect } from "react";

import type { HearingState } from "../api/client";
import type { Repairing } from "./useRepairing";

const RESTED_MS = 1_500;

/** What has to hear the whole side is heard again when it is asked otherwise, once the hand rests. */
export function useLearning(state: HearingState | null, repairing: Repairing): void {
  const { mutate } = repairing.ask;
  const isWorking = repairing.editing.ahead !== null;
  const lacks = state?.lacks === "hearing" && !isWorking;
  const version = state?.version ?? 0;
  useEffect(() => {
    if (!lacks) return;
    const timer = setTimeout(() => mutate("learn"), RESTED_MS);
    return () => clearTimeout(timer);
  }, [lacks, version, mutate]);
}

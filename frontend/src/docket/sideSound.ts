import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo } from "react";

import type { Docket, HearingState, Side, Take } from "../api/client";
import { hearingQuery } from "../api/queries";
import { type Played, player, type SideSound } from "../player/player";

/** A take as it came, for the player. */
export const asItCame = (take: Take, name = take.name): Played => ({
  takeId: take.id,
  name,
  rateHz: take.format.rate_hz,
  channels: take.format.channels,
  side: null,
});

/** A side's take under a version of its plan, for the player: what plays already follows when the plan changes. */
export function useSideSound(
  docket: Docket,
  side: Side,
  take: Take,
): { played: Played; state: HearingState | null; error: unknown } {
  const version = side.plan?.version ?? 0;
  const wanted = !!side.plan && !side.plan.at_rest;
  const { data, error } = useQuery({ ...hearingQuery(side.id, version), enabled: wanted });
  const state: HearingState | null = wanted ? (data ?? null) : null;
  const sound = useMemo((): SideSound | null => {
    if (!wanted) return null;
    if (!state || state.lacks === "scan") return null;
    return { sideId: side.id, version: state.version, speedRatio: state.speed_ratio, gainsDb: state.gains_db };
  }, [wanted, state, side.id]);
  const isKnown = !wanted || sound !== null;
  useEffect(() => {
    if (isKnown) player.follow(take.id, sound);
  }, [isKnown, sound, take.id]);
  const name = `${docket.shelfmark}, ${side.name}`;
  return { played: { ...asItCame(take, name), side: sound }, state, error };
}

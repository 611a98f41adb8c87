import { useQueryClient, useSuspenseQuery } from "@tanstack/react-query";
import { useOutletContext } from "react-router";

import type { Docket, Side, Take } from "../api/client";
import { docketQuery } from "../api/queries";

/** The docket of this address; the desk above has loaded it. */
export function useDocket(): Docket {
  const { docketId } = useOutletContext<{ docketId: number }>();
  return useSuspenseQuery(docketQuery(docketId)).data;
}

/** Puts a docket the server just answered with into the cache. */
export function useKeepDocket(): (docket: Docket) => void {
  const cache = useQueryClient();
  return (docket) => cache.setQueryData(docketQuery(docket.id).queryKey, docket);
}

export const sidesOf = (docket: Docket): Side[] => docket.carriers.flatMap((carrier) => carrier.sides);

export const chosenTake = (side: Side): Take | undefined => side.takes.find((take) => take.id === side.chosen_take_id);

/** The number of a side's first track on the whole release. */
export function firstNumber(docket: Docket, side: Side): number {
  if (isDisc(docket, side)) return side.tracks[0]?.number ?? 1;
  let number = 1;
  for (const one of sidesOf(docket)) {
    if (one.id === side.id) return number;
    number += one.tracks.length;
  }
  return number;
}

export const isDisc = (docket: Docket, side: Side): boolean =>
  docket.carriers.some((carrier) => carrier.format === "CD" && carrier.sides.some((one) => one.id === side.id));

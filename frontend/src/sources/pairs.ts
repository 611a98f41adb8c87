import type { Pair } from "../api/client";

/** A track's key here and a track's place in the release; one of them may be missing. */
export type Laid = [string | null, number | null];

/** Pairs with one row's release track moved by some rows, the one it meets taking its place. */
export function moved(pairs: readonly Pair[], row: number, by: number): Laid[] {
  const listed = pairs.map((one) => one.place);
  const to = row + by;
  if (to >= 0 && to < pairs.length) [listed[row], listed[to]] = [listed[to] ?? null, listed[row] ?? null];
  return pairs
    .map((one, at): Laid => [one.track_key, listed[at] ?? null])
    .filter(([key, place]) => key !== null || place !== null);
}

/** Pairs with one row parted: both its tracks stand alone. */
export function parted(pairs: readonly Pair[], row: number): Laid[] {
  return pairs.flatMap((one, at): Laid[] =>
    at === row
      ? [
          [one.track_key, null],
          [null, one.place],
        ]
      : [[one.track_key, one.place]],
  );
}

/** Repairs as they come from the server: [start, length, whether mended] in order of place. */
export interface PlacedRepair {
  start: number;
  end: number;
  mended: boolean;
}

/** Those that touch samples [from, to). */
export function placesWithin(places: Int32Array, from: number, to: number): PlacedRepair[] {
  const count = places.length / 3;
  let [low, high] = [0, count];
  // Repairs are short: one that begins more than a second before is over.
  const early = from - 200_000;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((places[3 * middle] ?? 0) < early) low = middle + 1;
    else high = middle;
  }
  const found = [];
  for (let k = low; k < count; k++) {
    const start = places[3 * k] ?? 0;
    if (start >= to) break;
    const end = start + (places[3 * k + 1] ?? 0);
    if (end > from) found.push({ start, end, mended: places[3 * k + 2] === 1 });
  }
  return found;
}

/** The shape a hand draws: from pointer positions to one value a sample, straight in between. */
export function drawnThrough(
  points: readonly { sample: number; value: number }[],
  start: number,
  end: number,
  old: readonly number[],
): number[] {
  const out = [...old];
  const clipped = (value: number) => Math.max(-1, Math.min(1, value));
  const inside = (sample: number) => sample >= start && sample < end;
  for (let k = 0; k < points.length; k++) {
    const [a, b] = [points[k], points[k + 1]];
    if (!a) continue;
    if (inside(a.sample)) out[a.sample - start] = clipped(a.value);
    if (!b) continue;
    const step = b.sample > a.sample ? 1 : -1;
    for (let sample = a.sample; sample !== b.sample; sample += step)
      if (inside(sample))
        out[sample - start] = clipped(a.value + ((b.value - a.value) * (sample - a.sample)) / (b.sample - a.sample));
  }
  return out;
}

import type { Difference } from "../api/client";

/** How two edits are drawn: two bars on one scale, what both have joined by ribbons, what one has alone hatched. */

export interface Ribbon {
  /** Left and right end on the upper and the lower bar, in parts of the width. */
  above: [number, number];
  below: [number, number];
}

export interface DifferenceDrawing {
  above: number;
  below: number;
  ribbons: Ribbon[];
  aloneAbove: [number, number][];
  aloneBelow: [number, number][];
}

export function layOut(difference: Difference): DifferenceDrawing {
  const whole = Math.max(difference.first_length_s, difference.second_length_s, 1e-6);
  const part = (seconds: number) => Math.min(1, Math.max(0, seconds / whole));
  return {
    above: part(difference.first_length_s),
    below: part(difference.second_length_s),
    ribbons: difference.shared.map((one) => ({
      above: [part(one.first_s), part(one.first_s + one.length_s)],
      below: [part(one.second_s), part(one.second_s + one.length_s)],
    })),
    aloneAbove: difference.only_first.map((one) => [part(one.start_s), part(one.end_s)]),
    aloneBelow: difference.only_second.map((one) => [part(one.start_s), part(one.end_s)]),
  };
}

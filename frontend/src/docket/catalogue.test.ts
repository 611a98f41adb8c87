import { describe, expect, it } from "vitest";

import { emptyPlan, sure } from "../waveform/testing";
import { comparison } from "./catalogue";
import { readDurations } from "./FindForm";

const track = (key: string, from: number, to: number, listed: number | null) => ({
  key,
  start_sample: from,
  end_sample: to,
  confidence: 0.9,
  listed,
  ...sure(0.9),
});

describe("found against the catalogue", () => {
  const plan = {
    ...emptyPlan(1_000_000),
    tracks: [track("a", 0, 60_000, 0), track("b", 62_000, 160_000, 2), track("c", 170_000, 200_000, null)],
    found: { ...emptyPlan(1).found, catalogue_s: [60.6, 99, 80], speed_ratio: 1.01 },
  };

  it("holds lengths at the nominal speed against what is stated", () => {
    const [first, second] = comparison(plan, 1000);
    expect(first?.offS).toBeCloseTo(0);
    expect(first?.doubted).toBe(false);
    expect(second?.offS).toBeCloseTo(98 * 1.01 - 80);
    expect(second?.doubted).toBe(true);
  });

  it("shows what only one of the two has", () => {
    const rows = comparison(plan, 1000);
    expect(rows[2]).toMatchObject({ index: 2, listed: null, statedS: null });
    expect(rows[3]).toMatchObject({ index: null, listed: 1, statedS: 99, doubted: true });
  });
});

describe("durations as they are pasted", () => {
  it("takes the time at the end of each line", () => {
    expect(readDurations("3:42\n 2. Quarry Sunday 4:05\n-\n\n61.5")).toEqual([222, 245, null, 61.5]);
  });
  it("says which line is none", () => {
    expect(readDurations("3:42\nlong")[1]).toBeNaN();
  });
});

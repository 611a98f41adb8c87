import { describe, expect, it } from "vitest";

import type { MeterWindow } from "../api/client";
import { layoutHistory, levelWord, placeOfLevel } from "./meterLayout";

const window = (peak: number | null, clipped = 0): MeterWindow => ({
  end_sample: 0,
  peak_dbfs: [peak, null],
  true_peak_dbtp: [peak, null],
  rms_dbfs: [peak === null ? null : peak - 10, null],
  clipped_samples: [clipped, 0],
});

describe("the level meter", () => {
  it("puts silence and all below -60 at its beginning, full scale at its end", () => {
    expect(placeOfLevel(null, 600)).toBe(0);
    expect(placeOfLevel(-90, 600)).toBe(0);
    expect(placeOfLevel(-30, 600)).toBe(300);
    expect(placeOfLevel(0, 600)).toBe(600);
    expect(placeOfLevel(20, 600)).toBeCloseTo(624);
  });
  it("tells quiet, right, hot and clipped apart", () => {
    expect([null, -61, -20, -12, -3, -2.9].map((peak) => levelWord(peak, 0))).toEqual([
      "silent",
      "silent",
      "quiet",
      "right",
      "right",
      "hot",
    ]);
    expect(levelWord(-20, 1)).toBe("clipped");
  });
  it("lays the newest window at the right edge and keeps every peak and every clip", () => {
    const windows = Array.from({ length: 100 }, (_, i) => window(i === 40 ? -1 : -20, i === 70 ? 5 : 0));
    const columns = layoutHistory(windows, 50, 1000);
    expect(columns[columns.length - 1]?.x).toBe(49);
    expect(columns).toHaveLength(5);
    expect(Math.max(...columns.map((one) => one.peakDbtp ?? -99))).toBe(-1);
    expect(columns.filter((one) => one.clipped)).toHaveLength(1);
  });
  it("is empty before anything was heard", () => {
    expect(layoutHistory([], 500, 1800)).toEqual([]);
  });
});

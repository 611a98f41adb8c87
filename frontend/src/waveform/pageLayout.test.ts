import { describe, expect, it } from "vitest";

import { fittingLineSeconds, layoutPage, pageHeight, placeOf, sampleAt, spansOf } from "./pageLayout";
import { sure } from "./testing";

const base = { samples: 48_000 * 150, rateHz: 48_000, width: 600, height: 400, lineSeconds: 60, firstNumber: 6 };

describe("the page", () => {
  it("has a line for every minute begun, and fits them into the height", () => {
    const layout = layoutPage({ ...base, tracks: [] });
    expect(layout.lines.map((line) => line.firstSample)).toEqual([0, 2_880_000, 5_760_000]);
    expect(pageHeight(layout)).toBeLessThanOrEqual(400);
  });

  it("finds the sample under a point and the point of a sample", () => {
    const layout = layoutPage({ ...base, tracks: [] });
    for (const sample of [0, 2_880_000, 3_000_000, 7_199_999]) {
      const { x, top } = placeOf(layout, sample);
      expect(Math.abs(sampleAt(layout, x, top + 1) - sample)).toBeLessThanOrEqual(1);
    }
  });

  it("goes on with a span on the next line", () => {
    const layout = layoutPage({ ...base, tracks: [] });
    const spans = spansOf(layout, 2_880_000 - 48_000, 2_880_000 + 96_000);
    expect(spans).toEqual([
      { x: 590, top: 0, width: 10 },
      { x: 0, top: layout.lineHeight, width: 20 },
    ]);
  });

  it("hatches what lies outside all tracks and numbers tracks on from the side before", () => {
    const tracks = [
      { key: "a", start_sample: 48_000, end_sample: 2_000_000, confidence: 0.9, ...sure(0.9) },
      { key: "b", start_sample: 2_100_000, end_sample: 7_000_000, confidence: 0.1, ...sure(0.1) },
    ];
    const layout = layoutPage({ ...base, tracks });
    const covered = layout.washes.reduce((sum, wash) => sum + wash.width, 0);
    expect(covered).toBeCloseTo(base.samples / layout.samplesPerPx, 3);
    expect(layout.washes.filter((wash) => wash.kind === "outside")).toHaveLength(3);
    expect(layout.labels.map((label) => label.text)).toEqual(["6", "7"]);
    expect(layout.marks.filter((mark) => mark.unsure).map((mark) => mark.key)).toEqual(["b", "b"]);
  });

  it("gives a short side short lines and a long one two minutes", () => {
    expect(fittingLineSeconds(180, 400)).toBe(30);
    expect(fittingLineSeconds(50 * 60, 400)).toBe(120);
  });
});

import { describe, expect, it } from "vitest";

import type { Plan } from "../api/client";
import { centre, layoutLoupe, magnify, MIN_SAMPLES_PER_PX, shift } from "./loupeLayout";
import { emptyPlan, sure } from "./testing";

const plan: Plan = {
  ...emptyPlan(480_000),
  tracks: [{ key: "a", start_sample: 48_000, end_sample: 240_000, confidence: 0.4, ...sure(0.4) }],
};

describe("the loupe", () => {
  it("magnifies around the pointer: the sample under it stays", () => {
    const view = { firstSample: 100_000, samplesPerPx: 100 };
    const nearer = magnify(view, 0.5, 300, 800, 48_000, 480_000);
    expect(nearer.firstSample + 300 * nearer.samplesPerPx).toBeCloseTo(130_000);
  });

  it("stops at single samples and at the whole of a short take", () => {
    const view = { firstSample: 0, samplesPerPx: 1 };
    expect(magnify(view, 1e-6, 0, 800, 48_000, 480_000).samplesPerPx).toBe(MIN_SAMPLES_PER_PX);
    expect(magnify(view, 1e6, 0, 800, 48_000, 480_000).samplesPerPx).toBe(600);
  });

  it("never looks beyond the take", () => {
    const view = { firstSample: 0, samplesPerPx: 100 };
    expect(shift(view, -500, 800, 480_000).firstSample).toBe(0);
    expect(centre(view, 479_999, 800, 480_000).firstSample).toBe(400_000);
  });

  it("shows edges where they are, unsure ones as such, and hatches the outside", () => {
    const layout = layoutLoupe(plan, 48_000, { firstSample: 0, samplesPerPx: 600 }, 800, 200, 1);
    expect(layout.edges.map((edge) => [edge.kind, edge.x, edge.unsure])).toEqual([
      ["start", 80, true],
      ["end", 400, true],
    ]);
    expect(layout.washes.map((wash) => wash.kind)).toEqual(["outside", "even", "outside"]);
    expect(layout.ticks.length).toBeGreaterThan(1);
  });
});

import { describe, expect, it } from "vitest";

import type { Plan } from "../api/client";
import { clamp, edgesOf, moveTo, preview, room } from "./edges";
import { emptyPlan, sure } from "./testing";

const plan: Plan = {
  ...emptyPlan(1000),
  tracks: [
    { key: "a", start_sample: 10, end_sample: 200, confidence: 0.9, ...sure(0.9) },
    { key: "b", start_sample: 250, end_sample: 500, confidence: null, ...sure(null) },
    { key: "c", start_sample: 500, end_sample: 900, confidence: 0.2, ...sure(0.2) },
  ],
};
const tracks = plan.tracks ?? [];

describe("edges", () => {
  it("lists starts and ends in order, and one join where two tracks touch", () => {
    expect(edgesOf(tracks).map((edge) => `${edge.kind} ${edge.key} ${edge.sample}`)).toEqual([
      "start a 10",
      "end a 200",
      "start b 250",
      "join c 500",
      "end c 900",
    ]);
  });

  it("moves a join by an amount and an edge to a place", () => {
    const [, , start, join] = edgesOf(tracks);
    if (!start || !join) throw new Error("edges are missing");
    expect(moveTo(join, 520, false)).toEqual({ op: "move join", track_key: "c", by_samples: 20, carry: false });
    expect(moveTo(start, 240, true)).toMatchObject({ op: "move edge", edge: "start", to_sample: 240, carry: true });
  });

  it("shows both sides of a join moving, and all later tracks when they are carried", () => {
    const join = edgesOf(tracks)[3];
    const start = edgesOf(tracks)[2];
    if (!start || !join) throw new Error("edges are missing");
    expect(preview(plan, join, 510, false).tracks?.map((t) => [t.start_sample, t.end_sample])).toEqual([
      [10, 200],
      [250, 510],
      [510, 900],
    ]);
    expect(preview(plan, start, 260, true).tracks?.map((t) => [t.start_sample, t.end_sample])).toEqual([
      [10, 200],
      [260, 510],
      [510, 910],
    ]);
  });

  it("keeps a dragged edge out of its neighbours and inside the take", () => {
    const [, end, start] = edgesOf(tracks);
    if (!end || !start) throw new Error("edges are missing");
    expect(clamp(600, room(plan, end, false))).toBe(250);
    expect(clamp(0, room(plan, start, false))).toBe(200);
    expect(clamp(999, room(plan, start, true))).toBe(350);
  });
});

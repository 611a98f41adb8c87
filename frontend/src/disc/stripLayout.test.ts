import { describe, expect, it } from "vitest";

import { frameClock, layoutStrip, marksFor, STROKE_PX } from "./stripLayout";

describe("the strip of a disc", () => {
  it("has a stroke for each mark, from edge to edge", () => {
    const { strokes, gap } = layoutStrip([1, 1, 5, 0], 400, [], 400);
    expect(strokes.map((one) => one.x)).toEqual([0, 100, 200, 300]);
    expect(strokes[2]?.state).toBe(5);
    expect(gap).toBe(100);
  });

  it("labels tracks where they begin, and leaves out labels that would lie over each other", () => {
    const starts = [
      { number: 0, frame: 0 },
      { number: 1, frame: 10 },
      { number: 2, frame: 200 },
    ];
    const { bounds } = layoutStrip([], 400, starts, 400);
    expect(bounds.map((one) => one.text)).toEqual(["00", "", "02"]);
    expect(bounds[2]?.x).toBe(200);
  });

  it("asks for as many marks as there is room for, never for none", () => {
    expect(marksFor(700)).toBe(Math.floor(700 / STROKE_PX));
    expect(marksFor(0)).toBe(1);
  });

  it("writes frames as the disc's own time", () => {
    expect([0, 74, 75, 4_499, 4_500, 333_000].map(frameClock)).toEqual([
      "00:00:00",
      "00:00:74",
      "00:01:00",
      "00:59:74",
      "01:00:00",
      "74:00:00",
    ]);
  });
});

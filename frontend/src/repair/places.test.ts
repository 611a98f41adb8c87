import { expect, test } from "vitest";

import { drawnThrough, placesWithin } from "./places";

const PLACES = Int32Array.from([10, 5, 1, 100, 20, 0, 500, 3, 1]);

test("repairs that touch a stretch are found, and no others", () => {
  expect(placesWithin(PLACES, 110, 501).map(({ start }) => start)).toEqual([100, 500]);
  expect(placesWithin(PLACES, 15, 100)).toEqual([]);
  expect(placesWithin(PLACES, 0, 11)).toEqual([{ start: 10, end: 15, mended: true }]);
  expect(placesWithin(new Int32Array(0), 0, 1000)).toEqual([]);
});

test("a drawn line is straight between the points and stays inside the selection", () => {
  const drawn = drawnThrough(
    [
      { sample: 8, value: 0 },
      { sample: 12, value: 0.4 },
    ],
    10,
    14,
    [9, 9, 0.5, 0.5],
  );
  expect(drawn[0]).toBeCloseTo(0.2);
  expect(drawn[1]).toBeCloseTo(0.3);
  expect(drawn[2]).toBeCloseTo(0.4);
  expect(drawn[3]).toBe(0.5);
});

test("drawing backwards gives the same line, and nothing leaves full scale", () => {
  const there = drawnThrough(
    [
      { sample: 0, value: 0 },
      { sample: 4, value: 2 },
    ],
    0,
    5,
    [0, 0, 0, 0, 0],
  );
  const back = drawnThrough(
    [
      { sample: 4, value: 2 },
      { sample: 0, value: 0 },
    ],
    0,
    5,
    [0, 0, 0, 0, 0],
  );
  expect(there).toEqual(back);
  expect(Math.max(...there)).toBe(1);
});

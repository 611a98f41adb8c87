import { expect, test } from "vitest";

import type { Pair } from "../api/client";
import { moved, parted } from "./pairs";

const pair = (key: string | null, place: number | null): Pair => ({
  track_key: key,
  number: 1,
  title: "",
  length_s: null,
  place,
  position: "",
  listed_title: "",
  listed_s: null,
  bonus: false,
  difference_s: null,
  likeness: 0,
});

test("a release's track that is moved changes places with the one it meets", () => {
  const pairs = [pair("a", 0), pair("b", 1), pair("c", null)];
  expect(moved(pairs, 0, 1)).toEqual([
    ["a", 1],
    ["b", 0],
    ["c", null],
  ]);
  expect(moved(pairs, 1, 1)).toEqual([
    ["a", 0],
    ["b", null],
    ["c", 1],
  ]);
  expect(moved(pairs, 0, 2)).toEqual([
    ["a", null],
    ["b", 1],
    ["c", 0],
  ]);
});

test("at the edge nothing moves, and rows of nothing go", () => {
  expect(moved([pair("a", 0)], 0, -1)).toEqual([["a", 0]]);
  expect(moved([pair(null, 0), pair("a", null)], 0, 1)).toEqual([["a", 0]]);
});

test("a pair is parted into two that stand alone", () => {
  expect(parted([pair("a", 0), pair("b", 1)], 0)).toEqual([
    ["a", null],
    [null, 0],
    ["b", 1],
  ]);
});

import { describe, expect, it } from "vitest";

import type { Row } from "../api/client";
import { type Column, filterOf, fromTsv, groupOf, linesOf, shown, sortRows, toTsv } from "./rows";

const row = (
  id: number,
  path: string,
  fields: Record<string, string> = {},
  pending: Record<string, string> = {},
): Row => ({
  id,
  bundle_id: 1,
  path,
  kind: "audio",
  format: "FLAC",
  duration_s: 60,
  rate_hz: 44_100,
  bits: 16,
  bitrate_kbps: 700,
  tagged_as: "Vorbis",
  silent_tail_s: 0,
  size_bytes: 1,
  audio_digest: "",
  fields,
  pending,
  pictures: [],
  carries: [],
  others: 0,
  problem: null,
});
const COLUMNS: Column[] = [
  { name: "path", label: "File", width: 1 },
  { name: "title", label: "Title", width: 1 },
  { name: "album_artist", label: "Album artist", width: 1 },
  { name: "date", label: "Date", width: 1 },
];
const ROWS = [
  row(1, "a/2.flac", { title: "Slack Water", date: "1968" }),
  row(
    2,
    "a/10.flac",
    { title: "Paper Oars", album_artist: "The Tollgate Sisters", date: "1974-03" },
    { title: "Paper Oar" },
  ),
  row(3, "b/1.flac", { title: "slack reel" }),
];
const found = (text: string): number[] | string => {
  const test = filterOf(text, COLUMNS);
  return typeof test === "string" ? test : ROWS.filter(test).map((one) => one.id);
};

describe("the filter", () => {
  it.each([
    ["", [1, 2, 3]],
    ["slack", [1, 3]],
    ["SLACK water", [1]],
    ["album artist is missing", [1, 3]],
    ["album_artist is there", [2]],
    ["title is changed", [2]],
    ["year < 1970", [1]],
    ["date >= 1968 and date < 1970", [1]],
    ["title has slack or year > 1970", [1, 2, 3]],
    ['title is "paper oar"', [2]],
    ["file begins with b/", [3]],
  ])("%s", (text, ids) => {
    expect(found(text)).toEqual(ids);
  });

  it("says what is wrong", () => {
    expect(found("year < soon")).toBe("'soon' is no number.");
    expect(found("title has")).toBe("After 'title has' something is missing.");
    expect(found("title has slack and nonsense")).toContain("no condition");
  });
});

describe("the order", () => {
  it("sorts numbers within names as numbers, and puts what is missing last", () => {
    expect(sortRows(ROWS, "path", false, "none").map((one) => one.id)).toEqual([1, 2, 3]);
    expect(sortRows(ROWS, "date", true, "none").map((one) => one.id)).toEqual([2, 1, 3]);
    expect(sortRows(ROWS, "date", false, "none").map((one) => one.id)).toEqual([1, 2, 3]);
  });

  it("keeps groups together, each under its heading", () => {
    const lines = linesOf(sortRows(ROWS, "title", false, "folder"), "folder");
    expect(lines.map((line) => (line.kind === "group" ? line.name : line.row.id))).toEqual(["a", 2, 1, "b", 3]);
    expect(groupOf(ROWS[0] as Row, "album")).toBe("(no album)");
  });

  it("sorts and filters ten thousand rows", () => {
    const many = Array.from({ length: 10_000 }, (_, at) =>
      row(at, `${at % 100}/${at}.flac`, { title: `Weir ${(at * 7919) % 10_000}` }),
    );
    const sorted = sortRows(many, "title", false, "none");
    expect(shown(sorted[0] as Row, "title")).toBe("Weir 0");
    expect(shown(sorted[9_999] as Row, "title")).toBe("Weir 9999");
  });
});

describe("tab-separated text", () => {
  it.each([
    [
      [
        ["a", "b"],
        ["c", ""],
      ],
    ],
    [
      [
        ['say "x"', "two\nlines"],
        ["a\tb", "=1+1"],
      ],
    ],
    [[[""]]],
  ])("comes back as it went: %j", (table) => {
    expect(fromTsv(toTsv(table))).toEqual(table);
  });

  it("is taken as a spreadsheet gives it", () => {
    expect(fromTsv("a\tb\r\nc\td\r\n")).toEqual([
      ["a", "b"],
      ["c", "d"],
    ]);
  });
});

import { describe, expect, it } from "vitest";

import type { LedgerLine } from "../api/client";
import { asQuery, byDay, startOf } from "./days";

const line = (id: number, at: Date): LedgerLine => ({
  id,
  at: at.toISOString(),
  who: "a",
  docket_id: null,
  shelfmark: null,
  action: "",
  before: null,
  after: null,
  way_back: null,
});

describe("days of the ledger", () => {
  it("begin at midnight where one sits, and end where the next begins", () => {
    const start = startOf("2026-03-29");
    expect(start && new Date(start).getHours()).toBe(0);
    expect(startOf("2026-03-29", 1)).toBe(startOf("2026-03-30"));
    expect(startOf("")).toBeUndefined();
    expect(startOf("no day")).toBeUndefined();
  });

  it("hold their entries in the order they come", () => {
    const lines = [
      line(3, new Date(2026, 4, 2, 9)),
      line(2, new Date(2026, 4, 1, 23, 59)),
      line(1, new Date(2026, 4, 1)),
    ];
    const days = byDay(lines);
    expect(days.map(([, held]) => held.map((one) => one.id))).toEqual([[3], [2, 1]]);
    expect(days[0]?.[0]).toContain("2 May 2026");
  });

  it("leave out of an address what is empty", () => {
    expect(asQuery({ search: "", who: "A & B", since: undefined })).toBe("who=A+%26+B");
  });
});

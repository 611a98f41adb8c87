import { describe, expect, it } from "vitest";

import { clock, level, likely, readClock, shortClock, size, timeLeft } from "./figures";

describe("figures", () => {
  it("writes samples as m:ss.mmm and carries rounding into the minute", () => {
    expect(clock(0, 48_000)).toBe("0:00.000");
    expect(clock(48_000 * 61 + 24_000, 48_000)).toBe("1:01.500");
    expect(clock(48_000 * 59.9999, 48_000)).toBe("1:00.000");
    expect(shortClock(372.1)).toBe("6:12");
  });
  it("writes sizes in decimal units", () => {
    expect(size(860_000_000)).toBe("860.0 MB");
    expect(size(4.2e9)).toBe("4.20 GB");
    expect(size(1_200)).toBe("1.2 kB");
  });
  it("writes levels with a minus sign and silence in words", () => {
    expect(level(-4.19)).toBe("−4.2 dBFS");
    expect(level(null)).toBe("silence");
  });
  it("is never more exact about time left than it is", () => {
    expect(timeLeft(null)).toBe("");
    expect(timeLeft(1)).toBe("nearly done");
    expect(timeLeft(200)).toBe("about 3 min left");
  });
  it("never calls anything certain or impossible", () => {
    expect([likely(1), likely(0.994), likely(0.5), likely(0)]).toEqual(["over 99.9 %", "99.4 %", "50 %", "under 1 %"]);
  });
  it("reads lengths as people type them", () => {
    expect([readClock("21:30"), readClock("1:02:03"), readClock("45"), readClock("3:07,5")]).toEqual([
      1290, 3723, 45, 187.5,
    ]);
    for (const text of ["", "half an hour", "3:77", "-4", "1:2:3:4"]) expect(readClock(text)).toBeNaN();
  });
});

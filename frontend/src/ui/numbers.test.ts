import { describe, expect, it } from "vitest";

import { boundsInWords, numberIn } from "./numbers";

describe("a typed number", () => {
  it.each([
    ["1.5", 1.5],
    ["1,5", 1.5],
    [" 12 ", 12],
    ["−3", -3],
    ["-0,25", -0.25],
    ["+47", 47],
    [",5", 0.5],
    ["7.", 7],
    ["007", 7],
  ])("%j is %d", (text, number) => expect(numberIn(text)).toBe(number));

  it.each(["", " ", "-", ",", "1,5,3", "1.234,5", "1 000", "1e3", "0x10", "Infinity", "NaN", "five", "1.5 s"])(
    "%j is none",
    (text) => expect(numberIn(text)).toBeNull(),
  );

  it("lies within its bounds", () => {
    const bounds = { min: -10, max: 10, whole: true };
    expect(["-10", "10", "0"].map((text) => numberIn(text, bounds))).toEqual([-10, 10, 0]);
    expect(["-11", "10,5", "11"].map((text) => numberIn(text, bounds))).toEqual([null, null, null]);
    expect(boundsInWords(bounds, "dB")).toBe("A whole number from −10 to 10 dB");
    expect(boundsInWords({ min: -2939, max: 2939 })).toBe("A number from −2939 to 2939");
    expect(boundsInWords({ min: 0 })).toBe("A number of at least 0");
    expect(boundsInWords({})).toBe("A number");
  });
});

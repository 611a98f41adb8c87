import { expect, test } from "vitest";

import { paramsOf, toggled, wantedOf } from "./search";

test("a search goes into the address and comes back the same", () => {
  const wanted = { text: "slack water", field: "title", carrier: ["LP", "CD"], decade: [""], finding: "clipping" };
  expect(wantedOf(paramsOf(wanted))).toEqual(wanted);
  expect(wantedOf(new URLSearchParams("view=covers"))).toEqual({});
});

test("a value is chosen and given up again; others stay", () => {
  const one = toggled(new URLSearchParams("text=ebb&carrier=LP"), "carrier", "CD");
  expect(one.getAll("carrier")).toEqual(["LP", "CD"]);
  expect(toggled(one, "carrier", "LP").toString()).toBe("text=ebb&carrier=CD");
});

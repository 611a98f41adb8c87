import { describe, expect, it } from "vitest";

import { moved } from "./CropView";

const SIZE = { width: 400, height: 300 };
const CROP = { left: 100, top: 50, width: 200, height: 200, turn_degrees: 0 };

describe("a crop", () => {
  it("is moved within the picture", () => {
    expect(moved(CROP, "move", 500, -500, SIZE, true)).toEqual({ ...CROP, left: 200, top: 0 });
  });

  it("stays square while it is pulled, unless that is let go", () => {
    expect(moved(CROP, "se", 40, 10, SIZE, true)).toEqual({ ...CROP, width: 210, height: 210 });
    expect(moved(CROP, "se", 40, 10, SIZE, false)).toEqual({ ...CROP, width: 240, height: 210 });
    expect(moved(CROP, "nw", 20, 20, SIZE, true)).toEqual({ ...CROP, left: 120, top: 70, width: 180, height: 180 });
  });

  it("never leaves it", () => {
    expect(moved(CROP, "se", 999, 999, SIZE, false)).toEqual({ ...CROP, width: 300, height: 250 });
    expect(moved(CROP, "nw", -999, -999, SIZE, false)).toEqual({ ...CROP, left: 0, top: 0, width: 300, height: 250 });
  });
});

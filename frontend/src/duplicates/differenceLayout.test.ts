import { expect, test } from "vitest";

import { layOut } from "./differenceLayout";

test("an edit with twenty seconds cut out of its middle", () => {
  const drawn = layOut({
    first_length_s: 100,
    second_length_s: 80,
    shared: [
      { first_s: 0, second_s: 0, length_s: 40 },
      { first_s: 60, second_s: 40, length_s: 40 },
    ],
    only_first: [{ start_s: 40, end_s: 60 }],
    only_second: [],
  });
  expect([drawn.above, drawn.below]).toEqual([1, 0.8]);
  expect(drawn.ribbons[1]).toEqual({ above: [0.6, 1], below: [0.4, 0.8] });
  expect(drawn.aloneAbove).toEqual([[0.4, 0.6]]);
});

test("nothing that lies outside is drawn outside", () => {
  const drawn = layOut({
    first_length_s: 10,
    second_length_s: 10,
    shared: [{ first_s: -2, second_s: 0, length_s: 13 }],
    only_first: [],
    only_second: [],
  });
  expect(drawn.ribbons[0]).toEqual({ above: [0, 1], below: [0, 1] });
});

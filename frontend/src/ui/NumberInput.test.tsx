// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { useState } from "react";
import { afterEach, expect, it, vi } from "vitest";

import { NumberInput } from "./NumberInput";

afterEach(cleanup);

function Held({ onValue, start = 20 }: { onValue: (value: number) => void; start?: number }) {
  const [value, setValue] = useState(start);
  const keep = (next: number) => {
    setValue(next);
    onValue(next);
  };
  return <NumberInput label="Fade" unit="ms" min={0} max={100} value={value} onChange={keep} />;
}

const field = () => screen.getByLabelText<HTMLInputElement>("Fade");

it("takes a comma for a point, and never takes what is half typed for nothing", async () => {
  const values: number[] = [];
  render(<Held onValue={(value) => values.push(value)} />);
  await userEvent.clear(field());
  await userEvent.type(field(), "1,5");
  expect(values).toEqual([1, 1, 1.5]);
  expect(field().value).toBe("1,5");
  await userEvent.tab();
  expect(field().value).toBe("1.5");
});

it("keeps what cannot be meant, marked, until it is put right or given up", async () => {
  const values: number[] = [];
  render(<Held onValue={(value) => values.push(value)} />);
  await userEvent.type(field(), "x");
  await userEvent.tab();
  expect(field().value).toBe("20x");
  expect(field().getAttribute("aria-invalid")).toBe("true");
  expect(field().title).toBe("A number from 0 to 100 ms");
  await userEvent.type(field(), "{Escape}");
  expect(field().value).toBe("20");
  await userEvent.clear(field());
  await userEvent.type(field(), "400");
  expect(values).toEqual([4, 40]);
  expect(field().getAttribute("aria-invalid")).toBe("true");
});

it("saves once, when it is left or Enter is pressed, and only what is another", async () => {
  const onSave = vi.fn();
  render(<NumberInput label="Fade" min={0} max={100} value={20} onSave={onSave} />);
  await userEvent.clear(field());
  await userEvent.type(field(), "2,5{Enter}");
  await userEvent.clear(field());
  await userEvent.type(field(), "20{Enter}");
  await userEvent.clear(field());
  await userEvent.type(field(), "nothing{Enter}");
  expect(onSave.mock.calls).toEqual([[2.5]]);
});

it("is empty for no number where that is an answer", async () => {
  const onSave = vi.fn();
  render(<NumberInput label="Fade" optional value={20} onSave={onSave} />);
  await userEvent.clear(field());
  expect(field().getAttribute("aria-invalid")).toBe("false");
  await userEvent.tab();
  expect(onSave.mock.calls).toEqual([[null]]);
});

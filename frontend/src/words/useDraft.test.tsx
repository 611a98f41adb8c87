// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";

import { Problem } from "../api/client";
import { useDraft } from "./useDraft";

afterEach(cleanup);

interface Rule {
  pixels: number;
  shape: string;
}

type Send = (wanted: Rule, seen: Rule) => Promise<Rule>;

function Form({ stored, send }: { stored: Rule; send: Send }) {
  const { draft, set, save, canSave, trouble } = useDraft<Rule>(stored, send, () => undefined);
  return (
    <form
      onSubmit={(event) => {
        event.preventDefault();
        save();
      }}
    >
      <input
        aria-label="Pixels"
        value={draft.pixels}
        onChange={(event) => set({ pixels: Number(event.target.value) })}
      />
      <output>{draft.shape}</output>
      <button disabled={!canSave}>Save rule</button>
      {trouble}
    </form>
  );
}

function shown(stored: Rule, send: Send) {
  const client = new QueryClient();
  const tree = (now: Rule) => (
    <QueryClientProvider client={client}>
      <Form stored={now} send={send} />
    </QueryClientProvider>
  );
  const { rerender } = render(tree(stored));
  return (now: Rule) => rerender(tree(now));
}

const type = (pixels: number) => fireEvent.change(screen.getByLabelText("Pixels"), { target: { value: pixels } });
const declare = () => fireEvent.click(screen.getByText("Save rule"));

test("what somebody else stores is shown, unless something was typed", () => {
  const store = shown({ pixels: 600, shape: "as it is" }, vi.fn<Send>());
  store({ pixels: 700, shape: "as it is" });
  expect(screen.getByLabelText("Pixels")).toHaveProperty("value", "700");
  type(800);
  store({ pixels: 900, shape: "square" });
  expect(screen.getByLabelText("Pixels")).toHaveProperty("value", "800");
});

test("it is sent with what was seen when typing began, and is stored as it comes back", async () => {
  const send = vi.fn<Send>((wanted) => Promise.resolve({ ...wanted, shape: "square" }));
  shown({ pixels: 600, shape: "as it is" }, send);
  expect(screen.getByText("Save rule")).toHaveProperty("disabled", true);
  type(800);
  declare();
  expect(await screen.findByText("square")).toBeTruthy();
  expect(send).toHaveBeenCalledWith({ pixels: 800, shape: "as it is" }, { pixels: 600, shape: "as it is" });
  expect(screen.getByText("Save rule")).toHaveProperty("disabled", true);
});

test("what was typed while it was saved stays, and is sent on what was saved", async () => {
  const landings: ((stored: Rule) => void)[] = [];
  const send = vi.fn<Send>(() => new Promise((resolve) => landings.push(resolve)));
  shown({ pixels: 600, shape: "as it is" }, send);
  type(800);
  declare();
  await vi.waitFor(() => expect(landings).toHaveLength(1));
  type(850);
  landings[0]?.({ pixels: 800, shape: "square" });
  expect(await screen.findByText("square")).toBeTruthy();
  expect(screen.getByLabelText("Pixels")).toHaveProperty("value", "850");
  declare();
  await vi.waitFor(() =>
    expect(send).toHaveBeenLastCalledWith({ pixels: 850, shape: "square" }, { pixels: 800, shape: "square" }),
  );
});

const meanwhile = new Problem("pixels was changed meanwhile", "pixels", "Choose", 409, [
  { name: "pixels", yours: 800, now: 700 },
]);

test("a value that both changed is shown with both, and mine is sent again on theirs", async () => {
  const send = vi
    .fn<Send>()
    .mockRejectedValueOnce(meanwhile)
    .mockImplementation((wanted) => Promise.resolve(wanted));
  shown({ pixels: 600, shape: "as it is" }, send);
  type(800);
  declare();
  const alert = await screen.findByRole("alert");
  expect(alert.textContent).toContain("pixels");
  expect(alert.textContent).toContain("700");
  fireEvent.click(screen.getByText("Use mine"));
  await vi.waitFor(() => expect(screen.queryByRole("alert")).toBeNull());
  expect(send).toHaveBeenLastCalledWith({ pixels: 800, shape: "as it is" }, { pixels: 700, shape: "as it is" });
});

test("theirs is kept where it is wanted, and nothing is sent", async () => {
  const send = vi.fn<Send>().mockRejectedValue(meanwhile);
  shown({ pixels: 600, shape: "as it is" }, send);
  type(800);
  declare();
  await screen.findByRole("alert");
  fireEvent.click(screen.getByText("Keep theirs"));
  expect(screen.getByLabelText("Pixels")).toHaveProperty("value", "700");
  expect(screen.queryByRole("alert")).toBeNull();
  expect(send).toHaveBeenCalledTimes(1);
});

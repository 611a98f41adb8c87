// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, cleanup, render, screen } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import { Problem } from "../api/client";
import { Figure } from "../repair/fields";
import { Cell } from "./Cell";

afterEach(cleanup);

const shown = (onSave: (value: string, seen: string) => Promise<string>) => {
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Cell label="Title" value="Weir" onSave={onSave} />
      <button type="button">elsewhere</button>
    </QueryClientProvider>,
  );
  return screen.getByLabelText<HTMLInputElement>("Title");
};

describe("a cell", () => {
  it("saves once when Enter is pressed, however long it is held and wherever one goes then", async () => {
    const onSave = vi.fn((typed: string) => Promise.resolve(typed));
    const field = shown(onSave);
    await userEvent.type(field, "s{Enter>3/}");
    await userEvent.click(screen.getByText("elsewhere"));
    expect(onSave.mock.calls).toEqual([["Weirs", "Weir"]]);
  });

  it("saves once when it is left", async () => {
    const onSave = vi.fn((typed: string) => Promise.resolve(typed));
    const field = shown(onSave);
    await userEvent.type(field, "s");
    await userEvent.click(screen.getByText("elsewhere"));
    await userEvent.click(field);
    await userEvent.click(screen.getByText("elsewhere"));
    expect(onSave.mock.calls).toEqual([["Weirs", "Weir"]]);
  });

  it("saves nothing after Escape, and shows what was there", async () => {
    const onSave = vi.fn((typed: string) => Promise.resolve(typed));
    const field = shown(onSave);
    await userEvent.type(field, "s{Escape}");
    expect(field.value).toBe("Weir");
    await userEvent.click(screen.getByText("elsewhere"));
    expect(onSave).not.toHaveBeenCalled();
  });

  const changedBySomebody = () =>
    vi.fn((typed: string, seen: string) =>
      seen === "Weir Song"
        ? Promise.resolve(typed)
        : Promise.reject(
            new Problem("title was changed meanwhile", null, null, 409, [
              { name: "title", yours: "Weirs", now: "Weir Song" },
            ]),
          ),
    );

  it("shows both values when somebody else has changed it, and saves one's own on theirs when told to", async () => {
    const onSave = changedBySomebody();
    const field = shown(onSave);
    await userEvent.type(field, "s{Enter}");
    expect((await screen.findByRole("alert")).textContent).toContain("Weir SongWeirs");
    expect(field.value).toBe("Weirs");
    await userEvent.click(screen.getByRole("button", { name: "Use mine" }));
    expect(onSave.mock.calls).toEqual([
      ["Weirs", "Weir"],
      ["Weirs", "Weir Song"],
    ]);
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("leaves what somebody else has written when told to", async () => {
    const onSave = changedBySomebody();
    const field = shown(onSave);
    await userEvent.type(field, "s{Enter}");
    await userEvent.click(await screen.findByRole("button", { name: "Keep theirs" }));
    expect(field.value).toBe("Weir");
    expect(screen.queryByRole("alert")).toBeNull();
    expect(onSave).toHaveBeenCalledTimes(1);
  });

  it("saves on the value that was seen when typing began, not on one that came meanwhile", async () => {
    const onSave = vi.fn((typed: string) => Promise.resolve(typed));
    const cell = (value: string) => (
      <QueryClientProvider client={new QueryClient()}>
        <Cell label="Title" value={value} onSave={onSave} />
      </QueryClientProvider>
    );
    const page = render(cell("Weir"));
    await userEvent.type(screen.getByLabelText("Title"), "s");
    page.rerender(cell("Weir Song"));
    await userEvent.keyboard("{Enter}");
    expect(onSave.mock.calls).toEqual([["Weirs", "Weir"]]);
  });

  it("keeps what was typed while the last one was saved, and saves it after that, on what was saved", async () => {
    const landings: ((stored: string) => void)[] = [];
    const onSave = vi.fn<(value: string, seen: string) => Promise<string>>(
      () => new Promise((resolve) => landings.push(resolve)),
    );
    const field = shown(onSave);
    await userEvent.type(field, "s{Enter}");
    await userEvent.type(field, " and");
    landings[0]?.("Weirs of 1968");
    await vi.waitFor(() => expect(onSave).toHaveBeenCalledTimes(1));
    await act(() => Promise.resolve());
    expect(field.value).toBe("Weirs and");
    await userEvent.type(field, "{Enter}");
    await userEvent.type(field, "{Backspace>5/}{Enter}");
    await act(() => Promise.resolve());
    expect(onSave.mock.calls).toEqual([
      ["Weirs", "Weir"],
      ["Weirs and", "Weirs of 1968"],
    ]);
    landings[1]?.("Weirs and");
    await vi.waitFor(() => expect(onSave).toHaveBeenLastCalledWith("Weir", "Weirs and"));
  });

  it("saves on the value as the server has it, not on the text that is shown for it", async () => {
    const onSave = vi.fn((_: string, seen: number | null) =>
      seen === 612.75
        ? Promise.resolve<number | null>(700)
        : Promise.reject(
            new Problem("length was changed meanwhile", null, null, 409, [{ name: "length", yours: 700, now: 612.75 }]),
          ),
    );
    render(
      <QueryClientProvider client={new QueryClient()}>
        <Cell label="Length" value="10:00" stored={600.4} words={(one) => `${one} s`} onSave={onSave} />
      </QueryClientProvider>,
    );
    const field = screen.getByLabelText("Length");
    await userEvent.clear(field);
    await userEvent.type(field, "11:40{Enter}");
    expect((await screen.findByRole("alert")).textContent).toContain("612.75 s");
    await userEvent.click(screen.getByRole("button", { name: "Use mine" }));
    expect(onSave.mock.calls).toEqual([
      ["11:40", 600.4],
      ["11:40", 612.75],
    ]);
  });

  it("keeps what was typed beside the reason when it is refused", async () => {
    const onSave = vi.fn(() => Promise.reject(new Problem("the title is too long", null, "Shorten it")));
    const field = shown(onSave);
    await userEvent.type(field, "s{Enter}");
    expect((await screen.findByRole("alert")).textContent).toBe("The title is too long. Shorten it.");
    expect(field.value).toBe("Weirs");
  });
});

describe("a figure", () => {
  it("saves once, within its bounds, and nothing after Escape", async () => {
    const onSave = vi.fn();
    render(<Figure label="Gain" value={3} unit="dB" min={-10} max={10} onSave={onSave} />);
    const field = screen.getByLabelText("Gain");
    await userEvent.clear(field);
    await userEvent.type(field, "4,5{Enter}");
    await userEvent.type(field, "9{Escape}");
    await userEvent.tab();
    await userEvent.clear(field);
    await userEvent.type(field, "40{Enter}");
    expect(onSave.mock.calls).toEqual([[4.5]]);
  });
});

// @vitest-environment jsdom
import { cleanup, render, screen } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { onKeyDown, useCommands } from "./commands";

const sign = vi.fn();
const nudge = vi.fn();
const play = vi.fn();

function Screen() {
  useCommands([
    { label: "Sign off", keys: ["Enter"], perform: sign },
    { label: "Nudge", keys: ["ArrowRight"], perform: nudge, repeats: true },
    { label: "Play", keys: ["Space"], perform: play },
  ]);
  return (
    <>
      <a href="#there">
        <span>the way there</span>
      </a>
      <button type="button">press</button>
      <input type="radio" aria-label="one of two" />
      <div role="tab" tabIndex={0}>
        another view
      </div>
      <dialog open>
        <p tabIndex={0}>in a dialog</p>
      </dialog>
      <p tabIndex={0}>a place on the page</p>
    </>
  );
}

beforeEach(() => {
  vi.clearAllMocks();
  window.addEventListener("keydown", onKeyDown);
  render(<Screen />);
});
afterEach(() => {
  window.removeEventListener("keydown", onKeyDown);
  cleanup();
});

describe("the key of a command", () => {
  it.each([
    ["a link", () => screen.getByRole("link"), "{Enter}", sign],
    ["a button", () => screen.getByText("press"), "{Enter}", sign],
    ["a button", () => screen.getByText("press"), " ", play],
    ["a tab", () => screen.getByRole("tab"), "{Enter}", sign],
    ["a tab", () => screen.getByRole("tab"), "{ArrowRight}", nudge],
    ["one of several", () => screen.getByRole("radio"), "{ArrowRight}", nudge],
    ["what is in a dialog", () => screen.getByText("in a dialog"), "{Enter}", sign],
  ])("belongs to %s that has the focus first", async (_, target, key, command) => {
    target().focus();
    await userEvent.keyboard(key);
    expect(command).not.toHaveBeenCalled();
  });

  it("is the screen's where the focus has no use for it", async () => {
    screen.getByRole("link").focus();
    await userEvent.keyboard("{ArrowRight} ");
    expect([nudge.mock.calls.length, play.mock.calls.length]).toEqual([1, 1]);
    screen.getByText("a place on the page").focus();
    await userEvent.keyboard("{Enter}");
    expect(sign).toHaveBeenCalledTimes(1);
  });

  it("that is held goes on moving, and decides once", async () => {
    screen.getByText("a place on the page").focus();
    await userEvent.keyboard("{Enter>6/}{ArrowRight>6/}");
    expect([sign.mock.calls.length, nudge.mock.calls.length]).toEqual([1, 6]);
  });
});

// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, fireEvent, render, screen, waitFor } from "@testing-library/react";
import { afterEach, expect, test, vi } from "vitest";

import { Problem } from "../api/client";
import { useSaveSeen } from "./useSaveSeen";

afterEach(cleanup);

const conflict = () =>
  new Problem("pattern was changed meanwhile", null, null, 409, [
    { name: "pattern", yours: "{title}", now: "{artist}" },
  ]);

function Form({ send, versions }: { send: (wanted: string, on: string) => Promise<unknown>; versions: string[] }) {
  const { save, trouble } = useSaveSeen(
    send,
    () => versions[0] ?? "",
    () => {
      versions.shift();
      return Promise.resolve();
    },
  );
  return (
    <>
      <button onClick={() => save("mine")}>Save</button>
      {trouble}
    </>
  );
}

function shown(send: (wanted: string, on: string) => Promise<unknown>, versions: string[]) {
  render(
    <QueryClientProvider client={new QueryClient()}>
      <Form send={send} versions={versions} />
    </QueryClientProvider>,
  );
  fireEvent.click(screen.getByText("Save"));
}

test("what is saved names the version that is known, or that none is", async () => {
  const send = vi.fn().mockResolvedValue({});
  shown(send, ["a1"]);
  await waitFor(() => expect(send).toHaveBeenCalledWith("mine", "a1"));
  cleanup();
  shown(send, []);
  await waitFor(() => expect(send).toHaveBeenLastCalledWith("mine", ""));
});

test("of two that were saved under a name one chooses, and mine replaces the one that was shown", async () => {
  const send = vi.fn().mockRejectedValueOnce(conflict()).mockResolvedValue({});
  shown(send, ["old", "theirs"]);
  expect(await screen.findByText("{artist}")).toBeTruthy();
  expect(screen.getByText("{title}")).toBeTruthy();
  fireEvent.click(screen.getByText("Use mine"));
  await waitFor(() => expect(send).toHaveBeenLastCalledWith("mine", "theirs"));
  await waitFor(() => expect(screen.queryByRole("alert")).toBeNull());
});

test("theirs is kept without another request", async () => {
  const send = vi.fn().mockRejectedValue(conflict());
  shown(send, ["old", "theirs"]);
  fireEvent.click(await screen.findByText("Keep theirs"));
  await waitFor(() => expect(screen.queryByRole("alert")).toBeNull());
  expect(send).toHaveBeenCalledTimes(1);
});

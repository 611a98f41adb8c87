// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, within } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";

import { api, type Operations, type OperationsMoment } from "../api/client";
import { lines, spanMin } from "./Course";
import { OperationsPage } from "./OperationsPage";

const at = (minute: number, more: Partial<OperationsMoment> = {}): OperationsMoment => ({
  at: new Date(Date.UTC(2026, 0, 1, 10, minute)).toISOString(),
  waiting: 0,
  waits_s: 0,
  requests_per_min: 12,
  failures: 0,
  answer_ms: 4,
  left_bytes: 5e9,
  ...more,
});

const seen: Operations = {
  parts: [
    { name: "database", is_well: true, words: "it answers" },
    { name: "disk", is_well: false, words: "only the room for recordings is left" },
  ],
  moments: [at(0, { waiting: 41 }), at(1, { waiting: null }), at(2, { waiting: 3 })],
  failed: [
    {
      kind: "seal",
      count: 2,
      newest_at: "2026-01-01T10:00:00Z",
      newest: { what: "the picture is too large", where: "cover.png", remedy: "Take a smaller one" },
    },
  ],
};

const shown = async (given: Operations) => {
  const get = vi.spyOn(api, "GET").mockResolvedValue({ data: given, response: new Response() });
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter>
        <OperationsPage />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  await screen.findByText("Parts");
  return get;
};

describe("the page Operations", () => {
  afterEach(() => {
    cleanup();
    vi.restoreAllMocks();
  });

  it("says which part is not well, and why jobs failed", async () => {
    await shown(seen);
    expect(screen.getByText("1 part not as it must be")).toBeTruthy();
    expect(screen.getByText("only the room for recordings is left")).toBeTruthy();
    const failed = screen.getByRole("region", { name: "Jobs that failed" });
    expect(within(failed).getByText(/cover.png. the picture is too large. Take a smaller one/)).toBeTruthy();
  });

  it("tells each course in words too: what it is now and the highest", async () => {
    await shown(seen);
    expect(screen.getByRole("img", { name: "Jobs that wait: now 3, at most 41" })).toBeTruthy();
    expect(screen.getByRole("img", { name: "Room on the disk: now 5.00 GB, at least 5.00 GB" })).toBeTruthy();
  });

  it("asks for as long a time as is chosen", async () => {
    const get = await shown(seen);
    await userEvent.selectOptions(screen.getByRole("combobox"), "24");
    expect(get).toHaveBeenLastCalledWith(
      "/api/v1/operations",
      expect.objectContaining({ params: { query: { hours: 24 } } }),
    );
  });
});

describe("a course", () => {
  const of = (one: OperationsMoment) => one.waiting;

  it("is as wide as what is known, ten minutes at least", () => {
    expect(spanMin([], 6)).toBe(10);
    expect(spanMin([at(0), at(2)], 6)).toBe(10);
    expect(spanMin([at(0), at(45)], 6)).toBe(45);
    expect(spanMin([at(0), at(90)], 1)).toBe(60);
  });

  it("is broken where nothing is known", () => {
    const drawn = lines(seen.moments, 60, of, 41);
    expect(drawn).toHaveLength(2);
    expect(drawn[1]?.endsWith("65.2")).toBe(true);
  });

  it("has now at the right and nothing without moments", () => {
    const [line] = lines([at(0), at(30)], 60, of, 10);
    expect(line).toBe("150.0,70.0 300.0,70.0");
    expect(lines([], 360, of, 10)).toEqual([]);
  });
});

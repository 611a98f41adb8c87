// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, within } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";

import { api, type DocketLine } from "../api/client";
import { SHELF_PAGE } from "../api/queries";
import { Shelf } from "./Shelf";

const line = (number: number): DocketLine => ({
  id: number,
  shelfmark: `WH-${String(number).padStart(4, "0")}`,
  title: `Record ${number}`,
  album_artist: "",
  format: "LP",
  duration_s: 0,
  standing: "empty",
  changed_at: "2026-01-01T10:00:00Z",
  cover_id: null,
  evidence: [],
});

/** Show a shelf of so many dockets; the server answers page by page, as the real one does. */
const shown = (count: number) => {
  const lines = Array.from({ length: count }, (_, index) => line(index + 1));
  const asked: string[] = [];
  vi.spyOn(api, "GET").mockImplementation((async (
    path: string,
    { params }: { params: { query: { after: string } } },
  ) => {
    if (path !== "/api/v1/dockets") return { data: [], response: new Response() };
    asked.push(params.query.after);
    const rest = lines.filter((one) => one.shelfmark > params.query.after);
    return { data: rest.slice(0, SHELF_PAGE), response: new Response() };
  }) as typeof api.GET);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter>
        <Shelf />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  return asked;
};

const rows = () => within(screen.getByRole("table")).getAllByRole("row").length - 1;

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe("the shelf", () => {
  it("shows all of a small one, and offers no more", async () => {
    shown(3);
    await screen.findByText("WH-0003");
    expect(rows()).toBe(3);
    expect(screen.queryByRole("button", { name: /^Show the next/ })).toBeNull();
    expect(screen.queryByText(/and more/)).toBeNull();
  });

  it("reaches every docket of a large one, page by page", async () => {
    const asked = shown(SHELF_PAGE + 2);
    await screen.findByText("WH-0001");
    expect(rows()).toBe(SHELF_PAGE);
    expect(screen.getByText(`${SHELF_PAGE} dockets and more`)).toBeTruthy();
    await userEvent.click(screen.getByRole("button", { name: `Show the next ${SHELF_PAGE}` }));
    await screen.findByText("WH-0202");
    expect(rows()).toBe(SHELF_PAGE + 2);
    expect(asked).toEqual(["", "WH-0200"]);
    expect(screen.getByText("202 dockets")).toBeTruthy();
    expect(screen.queryByRole("button", { name: /^Show the next/ })).toBeNull();
  });
});

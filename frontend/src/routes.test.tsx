// @vitest-environment jsdom
import { QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, within } from "@testing-library/react";
import { createMemoryRouter, RouterProvider } from "react-router";
import { afterEach, beforeAll, beforeEach, describe, expect, it, vi } from "vitest";

import { Cache } from "./api/cache";
import { api } from "./api/client";
import { loadAllPages, routes } from "./routes";

const ADDRESSES = [
  "/",
  "/look-up",
  "/collection?text=slack",
  "/collection/duplicates",
  "/collection/names",
  "/collection/rules",
  "/collection/reports",
  "/files",
  "/files/sheet?bundle=1",
  "/survey",
  "/fixity",
  "/profiles",
  "/people",
  "/account",
  "/access-log",
  "/ledger",
  "/dockets/7/intake",
  "/dockets/7/transfer",
  "/dockets/7/disc",
  "/dockets/7/tracks",
  "/dockets/7/repair",
  "/dockets/7/sources",
  "/dockets/7/describe",
  "/dockets/7/artwork",
  "/dockets/7/seal",
];

function opened(address: string) {
  const cache = new Cache({ defaultOptions: { queries: { retry: false } } });
  render(
    <QueryClientProvider client={cache}>
      <RouterProvider router={createMemoryRouter(routes, { initialEntries: [address] })} />
    </QueryClientProvider>,
  );
}

beforeAll(loadAllPages);
beforeEach(() => {
  vi.stubGlobal(
    "ResizeObserver",
    class {
      observe() {}
      unobserve() {}
      disconnect() {}
    },
  );
  // A part that breaks is written to the console by React; that it is shown on the page is what is checked.
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  HTMLDialogElement.prototype.close = vi.fn();
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

describe("every page", () => {
  it.each(ADDRESSES)("%s says what the server refuses, inside a frame that stands", async (address) => {
    const refused = () =>
      Promise.resolve({
        error: { detail: "the database is away", remedy: "Wait a moment" },
        response: new Response(null, { status: 503 }),
      });
    for (const verb of ["GET", "POST", "PUT"] as const) vi.spyOn(api, verb).mockImplementation(refused);
    vi.stubGlobal("fetch", () =>
      Promise.resolve(new Response(JSON.stringify({ detail: "the database is away" }), { status: 503 })),
    );
    opened(address);
    const page = within(await screen.findByRole("main"));
    expect((await page.findAllByText(/database is away/))[0]).toBeTruthy();
    expect(screen.getByRole("link", { name: "Shelf" })).toBeTruthy();
  });

  it.each(ADDRESSES)("%s says that the server does not answer", async (address) => {
    const dead = () => Promise.reject(new TypeError("fetch failed"));
    for (const verb of ["GET", "POST", "PUT"] as const) vi.spyOn(api, verb).mockImplementation(dead);
    vi.stubGlobal("fetch", dead);
    opened(address);
    const page = within(await screen.findByRole("main"));
    expect((await page.findAllByText(/server does not answer/))[0]).toBeTruthy();
  });

  it("an address of nothing leads back to the shelf", async () => {
    vi.spyOn(api, "GET").mockImplementation((() => new Promise(() => undefined)) as typeof api.GET);
    opened("/nowhere/at/all");
    expect(await screen.findByText("There is nothing at this address")).toBeTruthy();
    expect(screen.getByRole("link", { name: "back to the shelf" }).getAttribute("href")).toBe("/");
  });
});

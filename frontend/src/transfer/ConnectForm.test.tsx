// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { api, type Docket, type Schemas } from "../api/client";
import { ConnectForm } from "./ConnectForm";

const source = (id: string, kind: Schemas["SourceFacts"]["kind"]): Schemas["SourceFacts"] => ({
  id,
  name: id,
  kind,
  simulated: true,
  rates_hz: [96_000],
  gain: null,
});

const OFFERED = [
  source("browser", "browser"),
  source("turntable@cellar", "turntable"),
  source("cassette@cellar", "cassette deck"),
];

const docket = (format: string) =>
  ({ id: 7, carriers: [{ format, sides: [{ id: 1, letter: "A", takes: [] }] }] }) as unknown as Docket;

const shown = async (format = "LP", offered = OFFERED) => {
  vi.spyOn(api, "GET").mockImplementation((async (path: string) => ({
    data: path === "/api/v1/decks" ? offered : [],
    response: new Response(),
  })) as typeof api.GET);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <ConnectForm docket={docket(format)} />
    </QueryClientProvider>,
  );
  await screen.findByRole("radio", { name: new RegExp(offered[0]?.name ?? "") });
};

const chosen = () =>
  screen
    .getAllByRole<HTMLInputElement>("radio")
    .find((one) => one.checked)
    ?.closest("label");

describe("the form that connects a source", () => {
  beforeEach(() => localStorage.clear());
  afterEach(() => {
    cleanup();
    vi.restoreAllMocks();
  });

  it("proposes the deck that plays the carrier, whichever server has it", async () => {
    await shown("LP");
    expect(chosen()?.textContent).toContain("turntable@cellar");
    cleanup();
    await shown("Cassette");
    expect(chosen()?.textContent).toContain("cassette@cellar");
  });

  it("proposes the one that was used last while it is offered, and another one when it is not", async () => {
    localStorage.setItem("inkwell last source", "cassette@cellar");
    await shown("LP");
    expect(chosen()?.textContent).toContain("cassette@cellar");
    cleanup();
    localStorage.setItem("inkwell last source", "turntable@attic");
    await shown("LP");
    expect(chosen()?.textContent).toContain("turntable@cellar");
  });

  it("sends what was chosen", async () => {
    await shown("LP");
    const post = vi.spyOn(api, "POST").mockResolvedValue({ data: {}, response: new Response() });
    await userEvent.click(screen.getByRole("radio", { name: /cassette@cellar/ }));
    await userEvent.click(screen.getByRole("button", { name: /connect/i }));
    const [path, sent] = post.mock.calls[0] as unknown as [string, { body: { source_id: string } }];
    expect(path).toBe("/api/v1/dockets/{docket_id}/transfer");
    expect(sent.body.source_id).toBe("cassette@cellar");
    expect(localStorage.getItem("inkwell last source")).toBe("cassette@cellar");
  });
});

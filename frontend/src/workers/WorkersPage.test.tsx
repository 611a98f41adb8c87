// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor, within } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { MemoryRouter } from "react-router";
import { afterEach, describe, expect, it, vi } from "vitest";

import { api, type Session, type Worker, type Workers } from "../api/client";
import { WorkersPage } from "./WorkersPage";

const worker = (name: string, more: Partial<Worker> = {}): Worker => ({
  id: 7,
  name: `${name} 4711`,
  host: name,
  cores: 8,
  processes: 4,
  lanes: ["quick", "bulk"],
  version: "0.1.0",
  state: "idle",
  is_other_version: false,
  is_server: false,
  node: null,
  address: "",
  started_at: "2026-01-01T10:00:00Z",
  seen_at: "2026-01-01T10:00:00Z",
  jobs: [],
  ...more,
});

const house = (workers: Worker[], more: Partial<Workers> = {}): Workers => ({
  alone: false,
  workers,
  lanes: [
    { lane: "quick", waiting: 0, running: 0, waits_since: null, has_worker: true },
    { lane: "steady", waiting: 3, running: 0, waits_since: "2026-01-01T09:00:00Z", has_worker: false },
  ],
  ...more,
});

const shown = async (workers: Workers, role: Session["role"] = "keeper") => {
  const session: Session = { sign_in: true, name: "Ilse Vanterroe", role };
  vi.spyOn(api, "GET").mockImplementation((async (path: string) => ({
    data: path === "/api/v1/session" ? session : workers,
    response: new Response(),
  })) as typeof api.GET);
  render(
    <QueryClientProvider client={new QueryClient({ defaultOptions: { queries: { retry: false } } })}>
      <MemoryRouter>
        <WorkersPage />
      </MemoryRouter>
    </QueryClientProvider>,
  );
  await screen.findByRole("table");
};

afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
});

describe("the page of workers", () => {
  it("names each machine, its state and what it runs", async () => {
    const job = {
      id: 1,
      kind: "seal",
      docket_id: 12,
      subject: "WH-0012",
      state: "running" as const,
      progress: 0.4,
      message: "",
      time_left_s: null,
      failure: null,
      asked_at: "2026-01-01T10:00:00Z",
      started_at: null,
      ended_at: null,
    };
    await shown(
      house([worker("vault", { state: "working", jobs: [job] }), worker("cellar", { state: "not heard of" })]),
    );
    const rowOf = (machine: string) => within(screen.getByText(machine).closest("tr") as HTMLElement);
    expect(rowOf("vault").getByRole("link", { name: "seal: WH-0012" }).getAttribute("href")).toBe("/dockets/12");
    expect(rowOf("vault").getByText("40 %")).toBeTruthy();
    expect(rowOf("cellar").getByText(/its jobs go to others/)).toBeTruthy();
    expect(screen.getByText("2 processes on 2 machines")).toBeTruthy();
  });

  it("says that nobody takes what waits, and what to do", async () => {
    await shown(house([worker("vault")]));
    expect(screen.getByText(/No worker takes these\. Start one: \.\/inkwell worker --lanes steady/)).toBeTruthy();
  });

  it("asks a worker to leave, for keepers only, and not twice", async () => {
    await shown(house([worker("vault")]));
    const post = vi
      .spyOn(api, "POST")
      .mockResolvedValue({ data: house([worker("vault", { state: "draining" })]), response: new Response() });
    await userEvent.click(screen.getByRole("button", { name: "Drain vault 4711" }));
    expect(post).toHaveBeenCalledWith("/api/v1/workers/{worker_id}/drain", { params: { path: { worker_id: 7 } } });
    await waitFor(() => expect(screen.queryByRole("button", { name: /Drain/ })).toBeNull());
    expect(screen.getByText("leaves when its jobs have ended")).toBeTruthy();
  });

  it.each(["archivist", "reader"] as const)("offers a %s nothing that is not theirs to do", async (role) => {
    await shown(house([worker("vault")]), role);
    expect(screen.queryByRole("button", { name: /Drain/ })).toBeNull();
  });

  it("shows a server by itself, which cannot be asked to leave", async () => {
    await shown(house([worker("desk", { id: null, is_server: true })], { alone: true }));
    expect(screen.getByText("this server runs all jobs itself")).toBeTruthy();
    expect(screen.queryByRole("button", { name: /Drain/ })).toBeNull();
    expect(screen.getByText(/Other machines can help/)).toBeTruthy();
  });
});

// @vitest-environment jsdom
import { type QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { cleanup, render, screen, waitFor } from "@testing-library/react";
import { userEvent } from "@testing-library/user-event";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Cache } from "../api/cache";
import { api, type Session } from "../api/client";
import { sessionQuery } from "../api/queries";
import { Gate } from "./Gate";

const ILSE: Session = { sign_in: true, name: "Ilse Vanterroe", role: "keeper" };
const JON: Session = { sign_in: true, name: "Jon Maskell-Obi", role: "archivist" };
const NOBODY: Session = { sign_in: true, name: "", role: null };

let answers: (Session | Error)[] = [];
let cache: QueryClient;

beforeEach(() => {
  cache = new Cache({ defaultOptions: { queries: { retry: false } } });
  vi.stubGlobal(
    "EventSource",
    class {
      close() {}
    },
  );
  const answered = async () => {
    const next = answers.shift() ?? new Error("asked once too often");
    if (next instanceof Error) throw next;
    return { data: next, response: new Response() };
  };
  vi.spyOn(api, "GET").mockImplementation(answered as typeof api.GET);
  vi.spyOn(api, "POST").mockImplementation(answered as typeof api.POST);
});
afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

const entered = async (first: Session) => {
  answers = [first];
  render(
    <QueryClientProvider client={cache}>
      <Gate>
        <input aria-label="draft" />
      </Gate>
    </QueryClientProvider>,
  );
  const draft = await screen.findByLabelText<HTMLInputElement>("draft");
  await userEvent.type(draft, "half a sentence");
};
const askedAgain = async (answer: Session | Error) => {
  answers = [answer];
  await cache.refetchQueries({ queryKey: sessionQuery.queryKey });
};
const signIn = async (name: string, session: Session) => {
  answers = [session, session];
  await userEvent.clear(screen.getByLabelText("Name"));
  await userEvent.type(screen.getByLabelText("Name"), name);
  await userEvent.type(screen.getByLabelText("Password"), "four words of a kind{Enter}");
  await waitFor(() => expect(screen.queryByLabelText("Password")).toBeNull());
};
const draft = () => screen.getByLabelText<HTMLInputElement>("draft").value;

describe("the gate", () => {
  it("leaves the page alone when a later question for who is signed in fails", async () => {
    await entered(ILSE);
    await askedAgain(new TypeError("network"));
    expect(draft()).toBe("half a sentence");
    expect(screen.queryByRole("alert")).toBeNull();
  });

  it("offers to try again when the first question fails", async () => {
    answers = [new TypeError("network")];
    render(
      <QueryClientProvider client={cache}>
        <Gate>
          <p>the page</p>
        </Gate>
      </QueryClientProvider>,
    );
    expect((await screen.findByRole("alert")).textContent).toContain("does not answer");
    answers = [ILSE];
    await userEvent.click(screen.getByText("Try again"));
    expect(await screen.findByText("the page")).toBeTruthy();
  });

  it("keeps what was typed when a session runs out, for whoever typed it", async () => {
    await entered(ILSE);
    await askedAgain(NOBODY);
    expect(await screen.findByText(/what you had typed is still there/)).toBeTruthy();
    await signIn("Ilse Vanterroe", ILSE);
    expect(draft()).toBe("half a sentence");
  });

  it("gives somebody else a page anew", async () => {
    await entered(ILSE);
    await askedAgain(NOBODY);
    await screen.findByLabelText("Password");
    await signIn("Jon Maskell-Obi", JON);
    expect(draft()).toBe("");
  });
});

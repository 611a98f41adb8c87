import { MutationObserver, onlineManager, QueryObserver } from "@tanstack/react-query";
import { describe, expect, it, vi } from "vitest";

import { Cache } from "./cache";

/** A query whose answers are given by hand, one for each time that it is asked. */
function askedByHand() {
  const answers: ((answer: string) => void)[] = [];
  return { answers, queryFn: () => new Promise<string>((answer) => answers.push(answer)) };
}

describe("Cache", () => {
  it("asks again when it hears of a change while the first answer is on its way", async () => {
    const cache = new Cache();
    const { answers, queryFn } = askedByHand();
    const observer = new QueryObserver(cache, { queryKey: ["ledger", "all"], queryFn });
    const stop = observer.subscribe(() => undefined);
    void cache.invalidateQueries({ queryKey: ["ledger"] });
    answers[0]?.("before the change");
    await vi.waitFor(() => expect(answers).toHaveLength(2));
    answers[1]?.("after it");
    await vi.waitFor(() => expect(cache.getQueryData(["ledger", "all"])).toBe("after it"));
    stop();
  });

  it("asks just once more, however many changes it hears of meanwhile", async () => {
    const cache = new Cache();
    const { answers, queryFn } = askedByHand();
    const stop = new QueryObserver(cache, { queryKey: ["shelf"], queryFn }).subscribe(() => undefined);
    for (let count = 0; count < 5; count++) void cache.invalidateQueries({ queryKey: ["shelf"] });
    answers[0]?.("old");
    await vi.waitFor(() => expect(answers).toHaveLength(2));
    answers[1]?.("new");
    await vi.waitFor(() => expect(cache.getQueryData(["shelf"])).toBe("new"));
    await new Promise((later) => setTimeout(later, 20));
    expect(answers).toHaveLength(2);
    stop();
  });

  it("leaves alone what the change is not about", async () => {
    const cache = new Cache();
    const { answers, queryFn } = askedByHand();
    const stop = new QueryObserver(cache, { queryKey: ["jobs"], queryFn }).subscribe(() => undefined);
    void cache.invalidateQueries({ queryKey: ["shelf"] });
    answers[0]?.("all jobs");
    await vi.waitFor(() => expect(cache.getQueryData(["jobs"])).toBe("all jobs"));
    await new Promise((later) => setTimeout(later, 20));
    expect(answers).toHaveLength(1);
    stop();
  });

  it("does not ask again for what could not be had", async () => {
    const cache = new Cache({ defaultOptions: { queries: { retry: false } } });
    const queryFn = vi.fn(() => Promise.reject(new Error("gone")));
    const stop = new QueryObserver(cache, { queryKey: ["docket", 7], queryFn }).subscribe(() => undefined);
    void cache.invalidateQueries({ queryKey: ["docket"] });
    await vi.waitFor(() => expect(cache.getQueryState(["docket", 7])?.status).toBe("error"));
    await new Promise((later) => setTimeout(later, 20));
    expect(queryFn).toHaveBeenCalledTimes(1);
    stop();
  });

  it("sends requests though the browser knows of no network: the server may be on this machine", async () => {
    onlineManager.setOnline(false);
    const cache = new Cache({ defaultOptions: { queries: { retry: false } } });
    const read = vi.fn(() => Promise.resolve("shelf"));
    const write = vi.fn(() => Promise.reject(new Error("the server does not answer")));
    const failed = new MutationObserver(cache, { mutationFn: write }).mutate().catch(String);
    expect(await cache.fetchQuery({ queryKey: ["shelf"], queryFn: read })).toBe("shelf");
    expect(await failed).toContain("does not answer");
    onlineManager.setOnline(true);
  });
});

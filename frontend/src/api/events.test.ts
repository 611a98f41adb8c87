import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";

import { Cache } from "./cache";
import type { Job, Workers } from "./client";
import { followEvents, withJob, withProgress } from "./events";
import { docketQuery, jobsQuery } from "./queries";

class Stream {
  static last: Stream;
  onmessage: ((message: { data: string }) => void) | null = null;
  closed = false;
  constructor(readonly address: string) {
    Stream.last = this;
  }
  close() {
    this.closed = true;
  }
  tell(news: unknown) {
    this.onmessage?.({ data: JSON.stringify(news) });
  }
}

const job = (id: number, rest: Partial<Job> = {}): Job =>
  ({ id, parent_id: null, kind: "take in", state: "running", docket_id: 7, progress: 0, ...rest }) as Job;

let cache: Cache;
/** The keys that were asked to be fetched again, as text. */
let again: string[];

beforeEach(() => {
  vi.stubGlobal("EventSource", Stream);
  cache = new Cache();
  again = [];
  vi.spyOn(cache, "invalidateQueries").mockImplementation((filters) => {
    again.push(JSON.stringify(filters?.queryKey ?? "everything"));
    return Promise.resolve();
  });
});
afterEach(() => vi.unstubAllGlobals());

describe("followEvents", () => {
  it("puts a job's progress into the list of jobs, newest first, without asking the server", () => {
    const stop = followEvents(cache);
    Stream.last.tell({ kind: "hello" });
    again = [];
    Stream.last.tell({ kind: "job", job: job(1) });
    Stream.last.tell({ kind: "job", job: job(2) });
    Stream.last.tell({ kind: "job", job: job(1, { progress: 0.5 }) });
    expect(cache.getQueryData(jobsQuery.queryKey)?.map((one) => [one.id, one.progress])).toEqual([
      [2, 0],
      [1, 0.5],
    ]);
    expect(again).toEqual([]);
    stop();
  });

  it("tells of a piece only if it went wrong, and of what follows with its whole", () => {
    followEvents(cache);
    again = [];
    Stream.last.tell({ kind: "job", job: job(2, { parent_id: 1, state: "done" }) });
    Stream.last.tell({ kind: "job", job: job(3, { parent_id: 1, state: "failed" }) });
    expect(cache.getQueryData(jobsQuery.queryKey)?.map((one) => one.id)).toEqual([3]);
    expect(again).toEqual([]);
  });

  it("asks again for what a finished analysis may have changed", () => {
    followEvents(cache);
    Stream.last.tell({ kind: "job", job: job(1, { state: "done" }) });
    expect(again).toContain('["hearing"]');
    expect(again).toContain('["repairs"]');
    expect(again).not.toContain('["sheet"]');
  });

  it("asks again for the files once work on them has ended, however it ended", () => {
    followEvents(cache);
    Stream.last.tell({ kind: "job", job: job(1, { docket_id: null, state: "running" }) });
    expect(again).not.toContain('["sheet"]');
    Stream.last.tell({ kind: "job", job: job(1, { docket_id: null, state: "failed" }) });
    expect(again).toContain('["sheet"]');
    expect(again).toContain('["file steps"]');
  });

  it("asks again for the docket that changed, the shelf and the ledger, and for no other docket", () => {
    followEvents(cache);
    Stream.last.tell({ kind: "docket", docket_id: 7 });
    expect(again).toContain(JSON.stringify(docketQuery(7).queryKey));
    expect(again).not.toContain(JSON.stringify(docketQuery(8).queryKey));
    expect(again).toEqual(expect.arrayContaining(['["shelf"]', '["ledger"]']));
  });

  it("asks again for everything when the connection comes back, and for little when it is first made", () => {
    followEvents(cache);
    Stream.last.tell({ kind: "hello" });
    expect(again).not.toContain('"everything"');
    Stream.last.tell({ kind: "hello" });
    expect(again).toContain('"everything"');
  });

  it("stops listening when told to", () => {
    const stop = followEvents(cache);
    expect(Stream.last.address).toBe("/api/v1/events");
    stop();
    expect(Stream.last.closed).toBe(true);
  });
});

describe("withJob", () => {
  it("leaves the list it was given as it is", () => {
    const jobs = [job(1)];
    expect(withJob(jobs, job(1, { progress: 1 }))[0]?.progress).toBe(1);
    expect(jobs[0]?.progress).toBe(0);
  });
});

describe("the workers that are shown", () => {
  const seen = {
    alone: false,
    lanes: [],
    workers: [{ jobs: [job(1), job(2)] }, { jobs: [job(3)] }],
  } as unknown as Workers;
  const progress = (after: Workers) => after.workers.map((one) => one.jobs.map((held) => held.progress));

  it("have the progress that was told of a job, whoever runs it", () => {
    expect(progress(withProgress(seen, job(3, { progress: 0.5 })))).toEqual([[0, 0], [0.5]]);
    expect(progress(withProgress(seen, job(9, { progress: 0.5 })))).toEqual([[0, 0], [0]]);
  });

  it("keep a job that has ended until they are asked for again", () => {
    expect(withProgress(seen, job(3, { progress: 1, state: "done" }))).toBe(seen);
  });
});

describe("the list of jobs", () => {
  it("keeps a job ended whose progress is told after its end", () => {
    const ended = [job(1, { state: "done", progress: 1 })];
    expect(withJob(ended, job(1, { progress: 0.9 }))).toEqual(ended);
    expect(withJob([job(1)], job(1, { state: "failed" }))).toEqual([job(1, { state: "failed" })]);
  });
});

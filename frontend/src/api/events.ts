import type { QueryClient } from "@tanstack/react-query";

import type { Job, Workers } from "./client";
import {
  docketQuery,
  drivesQuery,
  jobsQuery,
  reconcileQuery,
  presenceKey,
  recordingsQuery,
  shelfLookUpQuery,
  sourceArtQuery,
  docketSourcesQuery,
  transferQuery,
} from "./queries";
import { workersQuery } from "../workers/queries";

type News =
  | { kind: "hello" | "files" | "cells" | "survey" | "collection" | "workers" }
  | { kind: "job"; job: Job }
  | { kind: "docket" | "transfer" | "look-up" | "presence"; docket_id: number };

/** What may be known once a job has listened to a side. */
const HEARD_ANEW = ["hearing", "repairs", "places", "harm", "spectra"];

/** What a step of work on files may have changed. */
const FILES_ANEW = [
  "bundles",
  "sheet",
  "file steps",
  "folders of files",
  "art check",
  "ledger",
  "survey",
  "findings",
  "duplicates",
  "held files",
  "headings",
  "house rules",
];

/** Keeps the query cache in step with the server's news, for as long as the page lives. Returns how to stop. */
export function followEvents(cache: QueryClient): () => void {
  const source = new EventSource("/api/v1/events");
  let first = true;
  source.onmessage = (message: MessageEvent<string>) => {
    const news = JSON.parse(message.data) as News;
    if (news.kind === "job") {
      cache.setQueryData(jobsQuery.queryKey, (jobs) => withJob(jobs ?? [], news.job));
      cache.setQueryData(workersQuery.queryKey, (seen) => seen && withProgress(seen, news.job));
      // What follows from a piece is told with its whole.
      const isWhole = news.job.parent_id === null;
      if (isWhole && news.job.state === "done")
        for (const key of HEARD_ANEW) void cache.invalidateQueries({ queryKey: [key] });
      // Jobs of no docket are work on files; told once all they changed is in the database.
      if (isWhole && news.job.docket_id === null && news.job.state !== "running")
        for (const key of FILES_ANEW) void cache.invalidateQueries({ queryKey: [key] });
    } else if (news.kind === "transfer") {
      void cache.invalidateQueries({ queryKey: transferQuery(news.docket_id).queryKey });
    } else if (news.kind === "presence") {
      void cache.invalidateQueries({ queryKey: presenceKey(news.docket_id) });
    } else if (news.kind === "look-up") {
      void cache.invalidateQueries({ queryKey: docketSourcesQuery(news.docket_id).queryKey });
      void cache.invalidateQueries({ queryKey: reconcileQuery(news.docket_id).queryKey });
      void cache.invalidateQueries({ queryKey: sourceArtQuery(news.docket_id).queryKey });
      void cache.invalidateQueries({ queryKey: docketQuery(news.docket_id).queryKey });
      void cache.invalidateQueries({ queryKey: shelfLookUpQuery.queryKey });
    } else if (news.kind === "docket") {
      void cache.invalidateQueries({ queryKey: docketSourcesQuery(news.docket_id).queryKey });
      void cache.invalidateQueries({ queryKey: reconcileQuery(news.docket_id).queryKey });
      void cache.invalidateQueries({ queryKey: recordingsQuery(news.docket_id).queryKey });
      void cache.invalidateQueries({ queryKey: docketQuery(news.docket_id).queryKey });
      void cache.invalidateQueries({ queryKey: ["disc"] });
      void cache.invalidateQueries({ queryKey: ["disc strip"] });
      void cache.invalidateQueries({ queryKey: drivesQuery.queryKey });
      for (const key of ["shelf", "ledger", "fixity", "profiles", "discs to burn"])
        void cache.invalidateQueries({ queryKey: [key] });
    } else if (news.kind === "files") {
      for (const key of FILES_ANEW) void cache.invalidateQueries({ queryKey: [key] });
    } else if (news.kind === "cells") {
      void cache.invalidateQueries({ queryKey: ["bundles"] });
    } else if (news.kind === "collection") {
      void cache.invalidateQueries({ queryKey: ["collection"] });
    } else if (news.kind === "survey") {
      for (const key of ["survey", "findings", "ledger", "headings", "house rules"])
        void cache.invalidateQueries({ queryKey: [key] });
    } else if (news.kind === "workers") {
      void cache.invalidateQueries({ queryKey: workersQuery.queryKey });
    } else if (news.kind === "hello" && first) {
      // What was asked for before the news could be heard may have changed in between.
      for (const key of ["ledger", "shelf", "docket"]) void cache.invalidateQueries({ queryKey: [key] });
    } else if (news.kind === "hello") {
      // The connection was lost and is back: anything may have happened meanwhile.
      void cache.invalidateQueries();
    }
    first = false;
  };
  return () => source.close();
}

/**
 * The jobs with what was told of one. One that has ended stays so: progress may be told after its end. A piece of another
 * is told of by its whole, unless it went wrong.
 */
export function withJob(jobs: Job[], job: Job): Job[] {
  if (job.parent_id !== null && job.state !== "failed") return jobs;
  const at = jobs.findIndex((one) => one.id === job.id);
  const known = jobs[at];
  if (!known) return [job, ...jobs];
  if (hasEnded(known) && !hasEnded(job)) return jobs;
  return jobs.map((one, index) => (index === at ? job : one));
}

const hasEnded = (job: Job) => job.state !== "running" && job.state !== "waiting";

/** The workers with what was told of a job that one of them runs. Who begins and ends one is asked for. */
export function withProgress(seen: Workers, job: Job): Workers {
  if (job.state !== "running") return seen;
  const workers = seen.workers.map((one) => ({
    ...one,
    jobs: one.jobs.map((held) => (held.id === job.id ? job : held)),
  }));
  return { ...seen, workers };
}

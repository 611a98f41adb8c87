import { queryOptions } from "@tanstack/react-query";

import { answer, api } from "./client";

/** Key, fetcher and type of each resource in one place. */
export const shelfQuery = (search: string) =>
  queryOptions({
    queryKey: ["shelf", search],
    queryFn: ({ signal }) => answer(api.GET("/api/dockets", { params: { query: { search } }, signal })),
    placeholderData: (before) => before,
  });

export const docketQuery = (id: number) =>
  queryOptions({
    queryKey: ["docket", id],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/dockets/{docket_id}", { params: { path: { docket_id: id } }, signal })),
  });

export const jobsQuery = queryOptions({
  queryKey: ["jobs"],
  queryFn: ({ signal }) => answer(api.GET("/api/jobs", { signal })),
});

export const vocabularyQuery = queryOptions({
  queryKey: ["vocabulary"],
  queryFn: ({ signal }) => answer(api.GET("/api/vocabulary", { signal })),
  staleTime: Infinity,
});

export const hearingQuery = (sideId: number, version: number) =>
  queryOptions({
    queryKey: ["hearing", sideId, version],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/sides/{side_id}/hearing", { params: { path: { side_id: sideId }, query: { version } }, signal })),
    placeholderData: (before) => before,
  });

export const ledgerQuery = (docketId: number | undefined, search: string) =>
  queryOptions({
    queryKey: ["ledger", docketId ?? null, search],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/ledger", { params: { query: { docket_id: docketId, search, limit: 200 } }, signal })),
    placeholderData: (before) => before,
  });

export const transferQuery = (docketId: number) =>
  queryOptions({
    queryKey: ["transfer", docketId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/dockets/{docket_id}/transfer", { params: { path: { docket_id: docketId } }, signal })),
  });

export const recordingsQuery = (docketId: number) =>
  queryOptions({
    queryKey: ["recordings", docketId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/dockets/{docket_id}/recordings", { params: { path: { docket_id: docketId } }, signal })),
  });

export const sourcesQuery = queryOptions({
  queryKey: ["sources"],
  queryFn: ({ signal }) => answer(api.GET("/api/sources", { signal })),
  staleTime: Infinity,
});

export const chainsQuery = queryOptions({
  queryKey: ["chains"],
  queryFn: ({ signal }) => answer(api.GET("/api/chains", { signal })),
});

export const recordingPeaksQuery = (recordingId: number) =>
  queryOptions({
    queryKey: ["recording peaks", recordingId],
    queryFn: ({ signal }) =>
      answer(
        api.GET("/api/recordings/{recording_id}/peaks", { params: { path: { recording_id: recordingId } }, signal }),
      ),
    refetchInterval: 500,
    retry: false,
  });

export const comparisonQuery = (jobId: number) =>
  queryOptions({
    queryKey: ["comparison", jobId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/comparisons/{job_id}", { params: { path: { job_id: jobId } }, signal })),
    staleTime: Infinity,
  });

export const peakIndexQuery = (takeId: number) =>
  queryOptions({
    queryKey: ["peak index", takeId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/takes/{take_id}/peaks", { params: { path: { take_id: takeId } }, signal })),
    staleTime: Infinity,
  });

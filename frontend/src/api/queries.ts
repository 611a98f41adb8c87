import { address, bytes } from "./bytes";
import { infiniteQueryOptions, keepPreviousData, queryOptions } from "@tanstack/react-query";

import {
  type AccessKind,
  answer,
  api,
  type Knowledge,
  type LedgerFilter,
  type RepairsWanted,
  type SearchWanted,
} from "./client";

/** Key, fetcher and type of each resource of the shelf and the stages, in one place. */

export const SHELF_PAGE = 200;

/** Pages of the shelf, each behind the last shelfmark of the one before. */
export const shelfQuery = (search: string) =>
  infiniteQueryOptions({
    queryKey: ["shelf", search],
    queryFn: ({ signal, pageParam: after }) =>
      answer(api.GET("/api/v1/dockets", { params: { query: { search, after, limit: SHELF_PAGE } }, signal })),
    initialPageParam: "",
    getNextPageParam: (last) => (last.length < SHELF_PAGE ? undefined : last.at(-1)?.shelfmark),
    placeholderData: keepPreviousData,
  });

export const docketQuery = (id: number) =>
  queryOptions({
    queryKey: ["docket", id],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/dockets/{docket_id}", { params: { path: { docket_id: id } }, signal })),
  });

export const jobsQuery = queryOptions({
  queryKey: ["jobs"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/jobs", { signal })),
});

/** Asked for again while it is looked at: progress and the signs of life of other machines are no news. */
export const vocabularyQuery = queryOptions({
  queryKey: ["vocabulary"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/vocabulary", { signal })),
  staleTime: Infinity,
});

export const hearingQuery = (sideId: number, version: number) =>
  queryOptions({
    queryKey: ["hearing", sideId, version],
    queryFn: ({ signal }) =>
      answer(
        api.GET("/api/v1/sides/{side_id}/hearing", {
          params: { path: { side_id: sideId }, query: { version } },
          signal,
        }),
      ),
    placeholderData: (before) => before,
  });

export const repairsQuery = (sideId: number, version: number, wanted: RepairsWanted) =>
  queryOptions({
    queryKey: ["repairs", sideId, version, wanted],
    queryFn: ({ signal }) =>
      answer(
        api.GET("/api/v1/sides/{side_id}/repairs", { params: { path: { side_id: sideId }, query: wanted }, signal }),
      ),
    placeholderData: (before) => before,
    retry: false,
  });

/** Of all repairs of a side [start, length, whether it is mended]. */
export const placesQuery = (sideId: number, version: number) =>
  queryOptions({
    queryKey: ["places", sideId, version],
    queryFn: async ({ signal }) => {
      return new Int32Array(await (await bytes(`/api/v1/sides/${sideId}/repair-places`, { signal })).arrayBuffer());
    },
    placeholderData: (before) => before,
    retry: false,
  });

export const startingPointsQuery = queryOptions({
  queryKey: ["starting points"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/starting-points", { signal })),
  staleTime: Infinity,
});

export const curvesQuery = queryOptions({
  queryKey: ["curves"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/curves", { signal })),
  staleTime: Infinity,
});

export const spectraQuery = (sideId: number, version: number, from_sample: number, to_sample: number) =>
  queryOptions({
    queryKey: ["spectra", sideId, version, from_sample, to_sample],
    queryFn: ({ signal }) =>
      answer(
        api.GET("/api/v1/sides/{side_id}/spectra", {
          params: { path: { side_id: sideId }, query: { version, from_sample, to_sample } },
          signal,
        }),
      ),
    placeholderData: (before) => before,
  });

export const harmQuery = (sideId: number, version: number) =>
  queryOptions({
    queryKey: ["harm", sideId, version],
    queryFn: ({ signal }) =>
      answer(
        api.GET("/api/v1/sides/{side_id}/harm", { params: { path: { side_id: sideId }, query: { version } }, signal }),
      ),
  });

export const versionsQuery = (sideId: number, version: number) =>
  queryOptions({
    queryKey: ["plan versions", sideId, version],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/sides/{side_id}/plan/versions", { params: { path: { side_id: sideId } }, signal })),
    placeholderData: (before) => before,
  });

export const ledgerQuery = (wanted: LedgerFilter) =>
  queryOptions({
    queryKey: ["ledger", wanted],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/ledger", { params: { query: { ...wanted, limit: 200 } }, signal })),
    placeholderData: (before) => before,
  });

export const tokensQuery = queryOptions({
  queryKey: ["tokens"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/session/tokens", { signal })),
});

export const accessLogQuery = (wanted: { search: string; kind?: AccessKind }) =>
  queryOptions({
    queryKey: ["access log", wanted],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/access-log", { params: { query: { ...wanted, limit: 200 } }, signal })),
    placeholderData: (before) => before,
  });

export const ledgerPeopleQuery = queryOptions({
  queryKey: ["ledger", "people"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/ledger/people", { signal })),
});

export const transferQuery = (docketId: number) =>
  queryOptions({
    queryKey: ["transfer", docketId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/dockets/{docket_id}/transfer", { params: { path: { docket_id: docketId } }, signal })),
  });

export const recordingsQuery = (docketId: number) =>
  queryOptions({
    queryKey: ["recordings", docketId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/dockets/{docket_id}/recordings", { params: { path: { docket_id: docketId } }, signal })),
  });

export const sourcesQuery = queryOptions({
  queryKey: ["sources"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/decks", { signal })),
  staleTime: Infinity,
});

export const chainsQuery = queryOptions({
  queryKey: ["chains"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/chains", { signal })),
});

export const recordingPeaksQuery = (recordingId: number) =>
  queryOptions({
    queryKey: ["recording peaks", recordingId],
    queryFn: ({ signal }) =>
      answer(
        api.GET("/api/v1/recordings/{recording_id}/peaks", { params: { path: { recording_id: recordingId } }, signal }),
      ),
    refetchInterval: 500,
    retry: false,
  });

export const drivesQuery = queryOptions({
  queryKey: ["drives"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/drives", { signal })),
});

export const discQuery = (sideId: number) =>
  queryOptions({
    queryKey: ["disc", sideId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/sides/{side_id}/disc", { params: { path: { side_id: sideId } }, signal })),
  });

/** A mark for every third pixel of a strip on a wide screen. */
const STRIP_MARKS = 260;

export const discStripQuery = (sideId: number) =>
  queryOptions({
    queryKey: ["disc strip", sideId],
    queryFn: ({ signal }) =>
      answer(
        api.GET("/api/v1/sides/{side_id}/disc/strip", {
          params: { path: { side_id: sideId }, query: { marks: STRIP_MARKS } },
          signal,
        }),
      ),
    placeholderData: (before) => before,
  });

export const comparisonQuery = (jobId: number) =>
  queryOptions({
    queryKey: ["comparison", jobId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/comparisons/{job_id}", { params: { path: { job_id: jobId } }, signal })),
    staleTime: Infinity,
  });

export const peakIndexQuery = (takeId: number) =>
  queryOptions({
    queryKey: ["peak index", takeId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/takes/{take_id}/peaks", { params: { path: { take_id: takeId } }, signal })),
    staleTime: Infinity,
  });

export const docketSourcesQuery = (docketId: number) =>
  queryOptions({
    queryKey: ["sources", docketId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/dockets/{docket_id}/catalogues", { params: { path: { docket_id: docketId } }, signal })),
  });

export const reconcileQuery = (docketId: number) =>
  queryOptions({
    queryKey: ["reconcile", docketId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/dockets/{docket_id}/reconcile", { params: { path: { docket_id: docketId } }, signal })),
    retry: false,
  });

export const sourceArtQuery = (docketId: number) =>
  queryOptions({
    queryKey: ["source art", docketId],
    queryFn: ({ signal }) =>
      answer(
        api.GET("/api/v1/dockets/{docket_id}/catalogue-pictures", {
          params: { path: { docket_id: docketId } },
          signal,
        }),
      ),
  });

export const shelfLookUpQuery = queryOptions({
  queryKey: ["shelf look-up"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/shelf-look-up", { signal })),
});

export const profilesQuery = queryOptions({
  queryKey: ["profiles"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/profiles", { signal })),
});

export const copyFormsQuery = queryOptions({
  queryKey: ["copy forms"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/copy-forms", { signal })),
  staleTime: Infinity,
});

export const fixityQuery = queryOptions({
  queryKey: ["fixity"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/fixity", { signal })),
});

export const discsToBurnQuery = (packageId: number) =>
  queryOptions({
    queryKey: ["discs to burn", packageId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/packages/{package_id}/discs", { params: { path: { package_id: packageId } }, signal })),
  });

export const targetsQuery = queryOptions({
  queryKey: ["targets"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/targets", { signal })),
});

export const sessionQuery = queryOptions({
  queryKey: ["session"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/session", { signal })),
});

export const accountsQuery = queryOptions({
  queryKey: ["accounts"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/accounts", { signal })),
});

const PAGE = 100;

/** What is found in the collection, a page at a time. */
export const collectionQuery = (wanted: SearchWanted) =>
  infiniteQueryOptions({
    queryKey: ["collection", wanted],
    queryFn: ({ signal, pageParam }) =>
      answer(api.GET("/api/v1/collection", { params: { query: { ...wanted, start: pageParam, most: PAGE } }, signal })),
    initialPageParam: 0,
    getNextPageParam: (last, _, start) => (start + PAGE < last.total ? start + PAGE : undefined),
    placeholderData: keepPreviousData,
  });

export const wallQuery = (wanted: SearchWanted) =>
  infiniteQueryOptions({
    queryKey: ["collection", "wall", wanted],
    queryFn: ({ signal, pageParam }) =>
      answer(
        api.GET("/api/v1/collection/wall", { params: { query: { ...wanted, start: pageParam, most: PAGE } }, signal }),
      ),
    initialPageParam: 0,
    getNextPageParam: (last, _, start) => (start + PAGE < last.total ? start + PAGE : undefined),
    placeholderData: keepPreviousData,
  });

export const savedSearchesQuery = queryOptions({
  queryKey: ["saved searches"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/collection/searches", { signal })),
});

export const reportsQuery = queryOptions({
  queryKey: ["reports"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/reports", { signal })),
  staleTime: 0,
});

/** Tracks as the finder would cut them, before anything is saved. */
export const trackPreviewQuery = (sideId: number, version: number, wanted: Knowledge) =>
  queryOptions({
    queryKey: ["track preview", sideId, version, wanted],
    queryFn: ({ signal }) =>
      answer(
        api.POST("/api/v1/sides/{side_id}/preview-tracks", {
          params: { path: { side_id: sideId } },
          body: wanted,
          signal,
        }),
      ),
    placeholderData: keepPreviousData,
    staleTime: Infinity,
  });

/** What a player's folder cannot show of a part of a package. */
export const fitQuery = (packageId: number, part: string, target: string) =>
  queryOptions({
    queryKey: ["fit", packageId, part, target],
    queryFn: ({ signal }) =>
      answer(
        api.GET("/api/v1/packages/{package_id}/fit", {
          params: { path: { package_id: packageId }, query: { part, target } },
          signal,
        }),
      ),
    retry: false,
  });

/** Each side of some dockets as it is, and as a starting point makes it. */
export const restorationsQuery = (docketIds: number[], startingPoint: string) =>
  queryOptions({
    queryKey: ["restorations", docketIds, startingPoint],
    queryFn: ({ signal }) =>
      answer(
        api.POST("/api/v1/restorations/preview", {
          body: { docket_ids: docketIds, starting_point: startingPoint },
          signal,
        }),
      ),
  });

export const SPECTROGRAM_SIZE = 1024;

interface SpectrogramWanted {
  sideId: number;
  version: number;
  listen: string;
  fromSample: number;
  toSample: number;
  columns: number;
}

/** The bytes of a spectrogram: column by column, `SPECTROGRAM_SIZE / 2` levels each, lowest frequency first. */
export const spectrogramQuery = (wanted: SpectrogramWanted) =>
  queryOptions({
    queryKey: ["spectrogram", wanted],
    queryFn: async ({ signal }) => {
      const url = address(`/api/v1/sides/${wanted.sideId}/spectrogram`, {
        version: wanted.version,
        listen: wanted.listen,
        from_sample: wanted.fromSample,
        to_sample: wanted.toSample,
        columns: wanted.columns,
        size: SPECTROGRAM_SIZE,
      });
      return new Uint8Array(await (await bytes(url, { signal })).arrayBuffer());
    },
    placeholderData: keepPreviousData,
  });

export const presenceKey = (docketId: number) => ["presence", docketId] as const;

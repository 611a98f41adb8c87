import { keepPreviousData, queryOptions } from "@tanstack/react-query";

import { answer, api, type HeadingKind, type HouseRule, type MergeWanted, type Naming } from "./client";

/** Key, fetcher and type of each resource of files, survey, duplicates and headings, in one place. */

export const bundlesQuery = queryOptions({
  queryKey: ["bundles"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/bundles", { signal })),
});

export const foldersQuery = queryOptions({
  queryKey: ["folders of files"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/files/folders", { signal })),
});

export const sheetQuery = (bundles: number[]) =>
  queryOptions({
    queryKey: ["sheet", bundles],
    queryFn: ({ signal }) => answer(api.GET("/api/v1/sheet", { params: { query: { bundle: bundles } }, signal })),
    // What is changed here is changed in the cache as well; news of the server says when to ask anew.
    staleTime: Infinity,
    retry: false,
  });

export const fileStepsQuery = queryOptions({
  queryKey: ["file steps"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/file-steps", { signal })),
});

export const wordingRulesQuery = queryOptions({
  queryKey: ["wording rules"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/wording-rules", { signal })),
});

export const filingPatternsQuery = queryOptions({
  queryKey: ["filing patterns"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/filing-patterns", { signal })),
});

export const patternExamplesQuery = (naming: Naming) =>
  queryOptions({
    queryKey: ["pattern examples", naming],
    queryFn: ({ signal }) => answer(api.POST("/api/v1/filing-patterns/examples", { body: naming, signal })),
    placeholderData: (before) => before,
    staleTime: Infinity,
    retry: false,
  });

export const artRuleQuery = queryOptions({
  queryKey: ["art rule"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/art-rule", { signal })),
});

/** What breaks the house's rule for pictures: in some bundles, or in all. */
export const artCheckQuery = (bundles: number[] | null) =>
  queryOptions({
    queryKey: ["art check", bundles],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/art-rule/check", { params: { query: { bundle: bundles ?? undefined } }, signal })),
  });

export const otherTagsQuery = (fileId: number) =>
  queryOptions({
    queryKey: ["other tags", fileId],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/files/{file_id}/others", { params: { path: { file_id: fileId } }, signal })),
  });

export const surveyQuery = queryOptions({
  queryKey: ["survey"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/survey", { signal })),
});

export const findingsQuery = (check: string, dismissed: boolean) =>
  queryOptions({
    queryKey: ["findings", check, dismissed],
    queryFn: ({ signal }) =>
      answer(api.GET("/api/v1/survey/findings", { params: { query: { check, dismissed } }, signal })),
  });

/** What putting findings right would change; of all of a check where none is chosen. */
export const remedyQuery = (check: string, ids: number[]) =>
  queryOptions({
    queryKey: ["findings", "remedy", check, ids],
    queryFn: ({ signal }) =>
      answer(
        api.POST("/api/v1/survey/preview", { body: ids.length ? { ids, check: "" } : { ids: [], check }, signal }),
      ),
    retry: false,
  });

export const duplicatesQuery = queryOptions({
  queryKey: ["duplicates"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/duplicates", { signal })),
});

export const heldQuery = queryOptions({
  queryKey: ["held files"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/held-files", { signal })),
});

export const headingsQuery = (kind: HeadingKind, text: string) =>
  queryOptions({
    queryKey: ["headings", kind, text],
    queryFn: ({ signal }) => answer(api.GET("/api/v1/headings", { params: { query: { kind, text } }, signal })),
    placeholderData: keepPreviousData,
  });

export const mergeQuery = (merge: MergeWanted) =>
  queryOptions({
    queryKey: ["headings", "merge", merge],
    queryFn: ({ signal }) => answer(api.POST("/api/v1/headings/preview", { body: merge, signal })),
    retry: false,
  });

export const houseQuery = queryOptions({
  queryKey: ["house rules"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/house-rules", { signal })),
});

export const rulePreviewQuery = (rule: HouseRule) =>
  queryOptions({
    queryKey: ["findings", "rule", rule],
    queryFn: ({ signal }) => answer(api.POST("/api/v1/survey/preview", { body: { ids: [], check: "", rule }, signal })),
    retry: false,
  });

export const sheetFieldsQuery = queryOptions({
  queryKey: ["sheet fields"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/sheet/fields", { signal })),
  staleTime: Infinity,
});

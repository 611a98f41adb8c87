import { queryOptions } from "@tanstack/react-query";

import { answer, api } from "../api/client";

export const workersQuery = queryOptions({
  queryKey: ["workers"],
  queryFn: ({ signal }) => answer(api.GET("/api/v1/workers", { signal })),
  refetchInterval: 3_000,
});

export const operationsQuery = (hours: number) =>
  queryOptions({
    queryKey: ["operations", hours],
    queryFn: ({ signal }) => answer(api.GET("/api/v1/operations", { params: { query: { hours } }, signal })),
    refetchInterval: 15_000,
  });

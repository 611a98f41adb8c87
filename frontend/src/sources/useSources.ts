import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";

import { answer, api, type Docket, type Reconcile, type SourcesState, type Taking } from "../api/client";
import { docketQuery, reconcileQuery, docketSourcesQuery } from "../api/queries";
import { useSaveSeen } from "../words/useSaveSeen";

/** What is known of a docket's release outside, and everything that can be done about it. */
export function useSources(docket: Docket) {
  const cache = useQueryClient();
  const path = { params: { path: { docket_id: docket.id } } };
  const query = useQuery(docketSourcesQuery(docket.id));
  const keep = (state: SourcesState) => {
    cache.setQueryData(docketSourcesQuery(docket.id).queryKey, state);
    void cache.invalidateQueries({ queryKey: docketQuery(docket.id).queryKey });
    void cache.invalidateQueries({ queryKey: reconcileQuery(docket.id).queryKey });
  };
  const again = () => cache.invalidateQueries({ queryKey: docketSourcesQuery(docket.id).queryKey });
  const lookUp = useMutation({
    mutationFn: (asked: { text: string; anew: boolean }) =>
      answer(api.POST("/api/v1/dockets/{docket_id}/look-up", { ...path, body: asked })),
    onSuccess: again,
  });
  const stop = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/dockets/{docket_id}/look-up", path)),
    onSuccess: again,
  });
  const choose = useMutation({
    mutationFn: (key: string) =>
      answer(api.PUT("/api/v1/dockets/{docket_id}/pressing", { ...path, body: { key, lay_lengths: true } })),
    onSuccess: keep,
  });
  const forget = useMutation({
    mutationFn: () => answer(api.DELETE("/api/v1/dockets/{docket_id}/pressing", path)),
    onSuccess: keep,
  });
  const pair = useMutation({
    mutationFn: (pairs: [string | null, number | null][]) =>
      answer(api.PUT("/api/v1/dockets/{docket_id}/pressing/pairs", { ...path, body: { pairs } })),
    onSuccess: keep,
  });
  const keepOwn = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/dockets/{docket_id}/own-entry", path)),
    onSuccess: again,
  });
  const error =
    lookUp.error ?? stop.error ?? choose.error ?? forget.error ?? pair.error ?? keepOwn.error ?? query.error;
  return { state: query.data ?? null, lookUp, stop, choose, forget, pair, keepOwn, error };
}

/** The table of fields and sources, and taking values from it. */
export function useReconcile(docket: Docket, enabled: boolean) {
  const cache = useQueryClient();
  const path = { params: { path: { docket_id: docket.id } } };
  const query = useQuery({ ...reconcileQuery(docket.id), enabled });
  const keep = (state: Reconcile) => {
    cache.setQueryData(reconcileQuery(docket.id).queryKey, state);
    void cache.invalidateQueries({ queryKey: docketQuery(docket.id).queryKey });
    void cache.invalidateQueries({ queryKey: docketSourcesQuery(docket.id).queryKey });
  };
  const take = useMutation({
    mutationFn: ({ values, learn }: { values: Taking[]; learn: boolean }) =>
      answer(api.POST("/api/v1/dockets/{docket_id}/reconcile", { ...path, body: { values, learn } })),
    onSuccess: keep,
  });
  const back = useMutation({
    mutationFn: () => answer(api.POST("/api/v1/dockets/{docket_id}/reconcile/undo", path)),
    onSuccess: keep,
  });
  const rule = useSaveSeen(
    (change: { field: string; source: string; fixed: boolean }, seen: string) =>
      answer(api.PUT("/api/v1/catalogue-rules", { body: { ...change, seen } })),
    (change) => query.data?.rules.find((one) => one.field === change.field && one.fixed)?.source ?? "",
    () => cache.invalidateQueries({ queryKey: reconcileQuery(docket.id).queryKey }),
  );
  return { table: query.data ?? null, take, back, rule, error: take.error ?? back.error ?? query.error };
}

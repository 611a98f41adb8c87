import { useMutation, useQueryClient } from "@tanstack/react-query";

import { answer, api, type Docket, type PlanEdit, type PlanView, type Side } from "../api/client";
import { docketQuery } from "../api/queries";
import { sidesOf } from "./useDocket";

/** Everything that changes a side's plan. Edits queue up, each on the version the one before it made. */
export function usePlanEditing(docketId: number, side: Side) {
  const cache = useQueryClient();
  const key = docketQuery(docketId).queryKey;
  const path = { params: { path: { side_id: side.id } } };

  /** The newest version known here: an edit that follows on another's heels must be based on its result. */
  const version = (): number => {
    const docket = cache.getQueryData(key);
    return (docket && sidesOf(docket).find((one) => one.id === side.id)?.plan?.version) ?? 0;
  };
  const keep = (plan: PlanView) => {
    cache.setQueryData(key, (docket: Docket | undefined) => docket && withPlan(docket, side.id, plan));
    void cache.invalidateQueries({ queryKey: key });
  };
  const scope = { id: `plan of side ${side.id}` }; // one after the other
  const edit = useMutation({
    scope,
    mutationFn: (one: PlanEdit) =>
      answer(api.POST("/api/sides/{side_id}/plan/edits", { ...path, body: { based_on: version(), edit: one } })),
    onSuccess: keep,
    onError: () => void cache.invalidateQueries({ queryKey: key }),
  });
  const undo = useMutation({ scope, mutationFn: () => answer(api.POST("/api/sides/{side_id}/plan/undo", path)), onSuccess: keep });
  const redo = useMutation({ scope, mutationFn: () => answer(api.POST("/api/sides/{side_id}/plan/redo", path)), onSuccess: keep });
  const find = useMutation({
    mutationFn: (count: number | null) => answer(api.POST("/api/sides/{side_id}/find-tracks", { ...path, body: { count } })),
  });
  return { edit, undo, redo, find, error: edit.error ?? undo.error ?? redo.error ?? find.error };
}

/** The docket with another plan for a side, shown at once; the rest follows when the server answers. */
function withPlan(docket: Docket, sideId: number, plan: PlanView): Docket {
  return {
    ...docket,
    carriers: docket.carriers.map((carrier) => ({
      ...carrier,
      sides: carrier.sides.map((side) => (side.id === sideId ? { ...side, plan } : side)),
    })),
  };
}

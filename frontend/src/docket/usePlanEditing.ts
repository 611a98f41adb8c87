import { useMutation, useQueryClient } from "@tanstack/react-query";
import { useRef, useState } from "react";

import {
  answer,
  api,
  type Docket,
  type Knowledge,
  type Plan,
  type PlanEdit,
  type PlanView,
  type Side,
} from "../api/client";
import { docketQuery } from "../api/queries";
import { sidesOf } from "./useDocket";

/** An edit, and the plan as it will look once it is done: shown at once, so that the next nudge starts from there. */
export interface Step {
  edit: PlanEdit;
  ahead?: Plan;
}

/** Everything that changes a side's plan. Edits queue up, each on the version the one before it made. */
export function usePlanEditing(docketId: number, side: Side) {
  const cache = useQueryClient();
  const key = docketQuery(docketId).queryKey;
  const [ahead, setAhead] = useState<Plan | null>(null);
  const waiting = useRef(0);
  const made = useRef<number | null>(null);

  /** The version the next edit is based on: what the last answer made, or what the docket says. */
  const version = (): number => {
    const docket = cache.getQueryData(key);
    return made.current ?? (docket && sidesOf(docket).find((one) => one.id === side.id)?.plan?.version) ?? 0;
  };
  const onNewest = () => ({ params: { path: { side_id: side.id }, header: { "If-Match": `"${version()}"` } } });
  const keep = (plan: PlanView) => {
    made.current = waiting.current > 0 ? plan.version : null;
    cache.setQueryData(key, (docket: Docket | undefined) => docket && withPlan(docket, side.id, plan));
  };
  const settled = () => {
    waiting.current = Math.max(0, waiting.current - 1);
    if (waiting.current > 0) return;
    made.current = null;
    setAhead(null);
    void cache.invalidateQueries({ queryKey: key });
  };
  const scope = { id: `plan of side ${side.id}` }; // one after the other
  const begin = () => {
    waiting.current += 1;
  };
  const edit = useMutation({
    scope,
    mutationFn: ({ edit: one }: Step) =>
      answer(api.POST("/api/v1/sides/{side_id}/plan/edits", { ...onNewest(), body: one })),
    onMutate: (step: Step) => {
      begin();
      if (step.ahead) setAhead(step.ahead);
    },
    onSuccess: keep,
    onSettled: settled,
  });
  const undo = useMutation({
    scope,
    mutationFn: () => answer(api.POST("/api/v1/sides/{side_id}/plan/undo", onNewest())),
    onMutate: begin,
    onSuccess: keep,
    onSettled: settled,
  });
  const redo = useMutation({
    scope,
    mutationFn: () => answer(api.POST("/api/v1/sides/{side_id}/plan/redo", onNewest())),
    onMutate: begin,
    onSuccess: keep,
    onSettled: settled,
  });
  const snap = useMutation({
    scope,
    mutationFn: (wish: { track_key: string; edge: "start" | "end"; to: "quietest moment" | "zero crossing" }) =>
      answer(api.POST("/api/v1/sides/{side_id}/plan/snap", { ...onNewest(), body: wish })),
    onMutate: begin,
    onSuccess: keep,
    onSettled: settled,
  });
  const find = useMutation({
    mutationFn: (known: Knowledge) =>
      answer(api.POST("/api/v1/sides/{side_id}/find-tracks", { params: { path: { side_id: side.id } }, body: known })),
  });
  return {
    edit,
    undo,
    redo,
    snap,
    find,
    ahead,
    error: edit.error ?? undo.error ?? redo.error ?? snap.error ?? find.error,
  };
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

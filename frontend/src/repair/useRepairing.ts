import { useMutation, useQuery } from "@tanstack/react-query";
import { useMemo } from "react";

import {
  answer,
  api,
  type Docket,
  type Job,
  type Plan,
  type PlanView,
  Problem,
  type Restoration,
  type Side,
} from "../api/client";
import { jobsQuery, placesQuery, repairsQuery } from "../api/queries";
import { usePlanEditing } from "../docket/usePlanEditing";

type Clicks = NonNullable<Restoration["clicks"]>;
export type Verdict = NonNullable<Clicks["verdicts"]>[number];
export type HandRepair = NonNullable<Restoration["by_hand"]>[number];

export const SCAN = "scan for damage";
export const LEARN = "hear the side";
export const REPORT = "report what changed";

/** Everything that changes what is done to a side's sound, each a version of its plan that can be undone. */
export function useRepairing(docket: Docket, side: Side, planView: PlanView) {
  const editing = usePlanEditing(docket.id, side);
  const plan: Plan = editing.ahead ?? planView.plan;
  const path = { params: { path: { side_id: side.id } } };
  const ask = useMutation({
    mutationFn: (what: "scan" | "learn" | "harm") => {
      if (what === "scan") return answer(api.POST("/api/v1/sides/{side_id}/scan", path));
      return what === "learn"
        ? answer(api.POST("/api/v1/sides/{side_id}/learn", path))
        : answer(api.POST("/api/v1/sides/{side_id}/harm", path));
    },
  });
  const restore = (change: Partial<Restoration>, saying: string) => {
    const restoration = { ...plan.restoration, ...change };
    editing.edit.mutate({ edit: { op: "restore", restoration, saying }, ahead: { ...plan, restoration } });
  };
  const judge = (verdicts: Verdict[]) =>
    verdicts.length > 0 && editing.edit.mutate({ edit: { op: "judge", verdicts, forget: [] } });
  const forget = (places: [number, number][]) =>
    places.length > 0 && editing.edit.mutate({ edit: { op: "judge", verdicts: [], forget: places } });
  const mendByHand = (repair: HandRepair) => editing.edit.mutate({ edit: { op: "mend by hand", repair } });
  const leaveByHand = (key: string) => editing.edit.mutate({ edit: { op: "leave by hand", repair_key: key } });
  return { editing, plan, restoration: plan.restoration, ask, restore, judge, forget, mendByHand, leaveByHand };
}

export type Repairing = ReturnType<typeof useRepairing>;

/** What is known of a side's damage as a whole; nothing, and no error, before it was scanned. */
export function useDamage(side: Side, amount: number | null) {
  const version = side.plan?.version ?? 0;
  const query = useQuery(repairsQuery(side.id, version, { count: 0, ...(amount === null ? {} : { amount }) }));
  const places = useQuery(placesQuery(side.id, version));
  const isUnscanned = query.error instanceof Problem && query.error.status === 409;
  return {
    found: isUnscanned ? null : (query.data ?? null),
    isUnscanned,
    places: isUnscanned ? NOTHING : (places.data ?? NOTHING),
    error: isUnscanned ? null : query.error,
  };
}

const NOTHING = new Int32Array(0);

/** A job of this kind for this side that is still to be done. */
export function useBusy(docket: Docket, side: Side, kind: string): Job | null {
  const { data: jobs } = useQuery(jobsQuery);
  return useMemo(
    () =>
      jobs?.find(
        (job) =>
          job.kind === kind &&
          job.docket_id === docket.id &&
          job.subject.endsWith(`side ${side.letter}`) &&
          (job.state === "waiting" || job.state === "running"),
      ) ?? null,
    [jobs, kind, docket.id, side.letter],
  );
}

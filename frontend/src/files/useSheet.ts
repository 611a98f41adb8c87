import { useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useMemo, useState } from "react";

import {
  answer,
  api,
  outlivesPage,
  Problem,
  type Proposed,
  type ProposedCells,
  type Row,
  type Schemas,
} from "../api/client";
import { sheetQuery } from "../api/filesQueries";
import { stored } from "./rows";

export interface CellChange {
  file_id: number;
  field: string;
  value: string;
  /** What stood there when it was changed. */
  seen?: string;
}

type Sheet = Schemas["SheetView"];

const SAVING = ["cells of the sheet"] as const;
const FEW = 500;

/** The sheet of some bundles: its rows, its unwritten changes with the way back, and changes that are only proposed. */
export function useSheet(bundles: number[]) {
  const cache = useQueryClient();
  const query = sheetQuery(bundles);
  const sheet = useQuery(query);
  const [undone, setUndone] = useState<CellChange[][]>([]);
  const [done, setDone] = useState<CellChange[][]>([]);
  const [proposed, setProposed] = useState<ProposedCells | null>(null);

  const save = useMutation({
    mutationFn: (changes: CellChange[]) =>
      answer(api.PATCH("/api/v1/sheet", { body: { changes }, keepalive: outlivesPage(changes) })),
    mutationKey: SAVING,
    // One after the other: a change and its undoing must not overtake each other on the way.
    scope: { id: SAVING[0] },
    onMutate: async (changes) => {
      // An answer on its way knows nothing of this change yet, and would take it from the screen.
      await cache.cancelQueries({ queryKey: query.queryKey });
      const before = cache.getQueryData(query.queryKey);
      cache.setQueryData(query.queryKey, (old) => old && withChanges(old, changes));
      return before;
    },
    onError: (_, __, before) => cache.setQueryData(query.queryKey, before),
    // The server may keep a value tidier than it was typed; asked once nothing more is on its way.
    onSettled: (_, __, changes) => {
      if (changes.length <= FEW && cache.isMutating({ mutationKey: SAVING }) === 1)
        void cache.invalidateQueries({ queryKey: query.queryKey });
    },
  });

  const byId = useMemo(() => new Map((sheet.data?.rows ?? []).map((row) => [row.id, row])), [sheet.data]);

  const { mutate } = save;
  const change = useCallback(
    (changes: CellChange[]) => {
      const real = changes.filter((one) => {
        const row = byId.get(one.file_id);
        return row?.kind === "audio" && (row.pending[one.field] ?? stored(row, one.field)) !== one.value;
      });
      if (real.length === 0) return;
      setDone((old) => [...old.slice(-99), real.map((one) => before(byId, one))]);
      setUndone([]);
      mutate(real.map((one) => ({ ...one, seen: before(byId, one).value })));
    },
    [byId, mutate],
  );
  const step = (from: CellChange[][], setFrom: typeof setDone, setTo: typeof setDone) => {
    const last = from.at(-1);
    if (!last) return;
    setTo((old) => [...old, last.map((one) => before(byId, one))]);
    setFrom((old) => old.slice(0, -1));
    save.mutate(last.map((one) => ({ ...one, seen: before(byId, one).value })));
  };
  const changed = save.error instanceof Problem ? save.error.changed : [];
  /** Change the cells after all that somebody else has changed meanwhile. */
  const useMine = () => {
    const now = new Map(changed.map((one) => [one.name, one.now]));
    save.mutate(
      (save.variables ?? []).map((one) => {
        const theirs = now.get(`${one.field} of ${byId.get(one.file_id)?.path ?? ""}`);
        return typeof theirs === "string" ? { ...one, seen: theirs } : one;
      }),
    );
  };

  const keepTheirs = () => {
    save.reset();
    void cache.invalidateQueries({ queryKey: query.queryKey });
  };

  const proposedBy = useMemo(() => {
    const map = new Map<number, Map<string, Proposed>>();
    for (const one of proposed?.changes ?? []) {
      const cells = map.get(one.file_id) ?? new Map<string, Proposed>();
      cells.set(one.field, one);
      map.set(one.file_id, cells);
    }
    return map;
  }, [proposed]);

  return {
    sheet,
    byId,
    change,
    save,
    changed,
    useMine,
    keepTheirs,
    proposed,
    proposedBy,
    setProposed,
    keepProposed: () => {
      if (proposed)
        change(proposed.changes.map((one) => ({ file_id: one.file_id, field: one.field, value: one.after })));
      setProposed(null);
    },
    undo: () => step(done, setDone, setUndone),
    redo: () => step(undone, setUndone, setDone),
    canUndo: done.length > 0,
    canRedo: undone.length > 0,
  };
}

export type SheetState = ReturnType<typeof useSheet>;

const before = (rows: Map<number, Row>, one: CellChange): CellChange => {
  const row = rows.get(one.file_id);
  return { ...one, value: row ? (row.pending[one.field] ?? stored(row, one.field)) : "" };
};

function withChanges(old: Sheet, changes: CellChange[]): Sheet {
  const by = new Map<number, CellChange[]>();
  for (const one of changes) by.set(one.file_id, [...(by.get(one.file_id) ?? []), one]);
  return {
    ...old,
    rows: old.rows.map((row) => {
      const mine = by.get(row.id);
      if (!mine) return row;
      const pending = { ...row.pending };
      for (const one of mine) {
        if (one.value === stored(row, one.field)) Reflect.deleteProperty(pending, one.field);
        else pending[one.field] = one.value;
      }
      return { ...row, pending };
    }),
  };
}

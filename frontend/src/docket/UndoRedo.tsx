import { Redo2, Undo2 } from "lucide-react";

import type { PlanView } from "../api/client";
import type { usePlanEditing } from "./usePlanEditing";

/** Back and forth among the versions of a plan, each button saying what it would do. */
export function UndoRedo({ plan, editing }: { plan: PlanView; editing: ReturnType<typeof usePlanEditing> }) {
  return (
    <div className="mb-2 flex gap-2">
      <button
        type="button"
        className="press"
        disabled={!plan.undo}
        title={plan.undo ? `Undo: ${plan.undo}` : "Nothing to undo"}
        onClick={() => editing.undo.mutate()}
      >
        <Undo2 size={14} aria-hidden /> Undo
      </button>
      <button
        type="button"
        className="press"
        disabled={!plan.redo}
        title={plan.redo ? `Redo: ${plan.redo}` : "Nothing to redo"}
        onClick={() => editing.redo.mutate()}
      >
        <Redo2 size={14} aria-hidden /> Redo
      </button>
    </div>
  );
}

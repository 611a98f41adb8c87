import { useMutation } from "@tanstack/react-query";
import type { ReactNode } from "react";

import { Problem } from "../api/client";
import { ChangedMeanwhile } from "./ChangedMeanwhile";
import { Trouble } from "./Trouble";

/**
 * Saving something in place of what is known to stand there.
 *
 * If somebody else has put something else there meanwhile, `trouble` shows both, and one chooses. `seenOf` is asked
 * again then: whatever is saved in place of theirs was seen.
 */
export function useSaveSeen<T, S>(
  send: (wanted: T, seen: S) => Promise<unknown>,
  seenOf: (wanted: T) => S,
  onChanged: () => Promise<unknown>,
  onSaved: () => void = () => undefined,
): { save: (wanted: T) => void; isSaving: boolean; trouble: ReactNode } {
  const saving = useMutation({
    mutationFn: (wanted: T) => send(wanted, seenOf(wanted)),
    onSuccess: async () => {
      onSaved();
      await onChanged();
    },
    onError: onChanged,
  });
  const changed = saving.error instanceof Problem ? saving.error.changed : [];
  let trouble: ReactNode = null;
  if (changed.length > 0) {
    trouble = (
      <ChangedMeanwhile
        changed={changed}
        isNamed
        onUseMine={() => {
          if (saving.variables !== undefined) saving.mutate(saving.variables);
        }}
        onKeepTheirs={() => saving.reset()}
      />
    );
  } else if (saving.error) {
    trouble = <Trouble error={saving.error} />;
  }
  return { save: (wanted) => saving.mutate(wanted), isSaving: saving.isPending, trouble };
}

import { useMutation } from "@tanstack/react-query";
import type { ReactNode } from "react";

import { Problem } from "../api/client";
import { ChangedMeanwhile } from "./ChangedMeanwhile";
import { Trouble } from "./Trouble";

/**
 * Saving something as a whole under a name, in place of the version that is known to stand there.
 *
 * If somebody else has saved another one under that name meanwhile, `trouble` shows both, and one chooses. `versionOf`
 * is asked again then: whatever is saved in place of theirs was seen.
 */
export function useSaveNamed<T>(
  send: (wanted: T, on: string) => Promise<unknown>,
  versionOf: (wanted: T) => string | undefined,
  onChanged: () => Promise<unknown>,
  onSaved: () => void = () => undefined,
): { save: (wanted: T) => void; isSaving: boolean; trouble: ReactNode } {
  const saving = useMutation({
    mutationFn: (wanted: T) => send(wanted, versionOf(wanted) ?? ""),
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

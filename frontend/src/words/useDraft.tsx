import { useMutation } from "@tanstack/react-query";
import { type ReactNode, useState } from "react";

import { Problem } from "../api/client";
import { ChangedMeanwhile } from "./ChangedMeanwhile";
import { Trouble } from "./Trouble";

const isSame = (one: unknown, other: unknown) => JSON.stringify(one) === JSON.stringify(other);

/** What was saved, with the values of `draft` that were typed since `sent` was sent. */
function withTypedSince<T extends object>(saved: T, sent: T, draft: T): T {
  const names = Object.keys(draft) as (keyof T)[];
  const typed = names.filter((name) => !isSame(draft[name], sent[name]));
  return { ...saved, ...Object.fromEntries(typed.map((name) => [name, draft[name]])) };
}

/**
 * A document of several values that somebody edits and then saves as a whole.
 *
 * What was typed stays while others change the stored one, and only what was typed is saved. Where somebody else has
 * changed the same value, `trouble` shows both, and one chooses.
 */
export function useDraft<T extends object>(
  stored: T,
  send: (wanted: T, seen: T) => Promise<T>,
  onChanged: () => void,
  labels: Partial<Record<keyof T, string>> = {},
): {
  draft: T;
  set: (change: Partial<T>) => void;
  save: () => void;
  canSave: boolean;
  isSaving: boolean;
  trouble: ReactNode;
} {
  const [seen, setSeen] = useState(stored);
  const [draft, setDraft] = useState(stored);
  const [known, setKnown] = useState(stored);
  // Not whenever they differ: right after a change the stored one is still the old one, until it is loaded again.
  if (!isSame(stored, known)) {
    setKnown(stored);
    if (isSame(draft, seen)) {
      setSeen(stored);
      setDraft(stored);
    }
  }
  const saving = useMutation({
    mutationFn: ({ wanted, base }: { wanted: T; base: T }) => send(wanted, base),
    onSuccess: (saved, { wanted }) => {
      setSeen(saved);
      setDraft((now) => withTypedSince(saved, wanted, now));
      onChanged();
    },
  });
  const changed = saving.error instanceof Problem ? saving.error.changed : [];
  const theirs = Object.fromEntries(changed.map((one) => [one.name, one.now])) as Partial<T>;
  let trouble: ReactNode = null;
  if (changed.length > 0) {
    trouble = (
      <ChangedMeanwhile
        changed={changed.map((one) => ({ ...one, name: labels[one.name as keyof T] ?? one.name }))}
        isNamed
        onUseMine={() => {
          const base = { ...seen, ...theirs };
          setSeen(base);
          saving.mutate({ wanted: draft, base });
        }}
        onKeepTheirs={() => {
          setSeen({ ...seen, ...theirs });
          setDraft({ ...draft, ...theirs });
          saving.reset();
          onChanged();
        }}
      />
    );
  } else if (saving.error) {
    trouble = <Trouble error={saving.error} />;
  }
  return {
    draft,
    set: (change) => setDraft((now) => ({ ...now, ...change })),
    save: () => saving.mutate({ wanted: draft, base: seen }),
    isSaving: saving.isPending,
    canSave: !saving.isPending && !isSame(draft, seen),
    trouble,
  };
}

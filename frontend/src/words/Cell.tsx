import { useMutation } from "@tanstack/react-query";
import { useState } from "react";

import { Problem } from "../api/client";
import { sentence } from "./Trouble";

/** A value edited in place: Enter or leaving it keeps it, Escape takes the old one back. */
export function Cell({ label, value, hint, list, onSave }: { label: string; value: string; hint?: string; list?: string; onSave: (value: string) => Promise<void> }) {
  const [draft, setDraft] = useState<string | null>(null);
  const save = useMutation({ mutationFn: onSave, onSuccess: () => setDraft(null) });
  const leave = () => {
    if (draft === null) return;
    if (draft.trim() === value) {
      setDraft(null);
      save.reset();
    } else save.mutate(draft);
  };
  return (
    <span className="block">
      <input
        className={`cell ${save.error ? "cell-wrong" : ""}`}
        aria-label={label}
        aria-invalid={!!save.error}
        placeholder={hint}
        list={list}
        value={draft ?? value}
        maxLength={5000}
        onChange={(event) => setDraft(event.target.value)}
        onBlur={leave}
        onKeyDown={(event) => {
          if (event.key === "Enter") event.currentTarget.blur();
          if (event.key === "Escape") {
            setDraft(null);
            save.reset();
          }
        }}
      />
      {save.error && <span role="alert" className="block px-2 text-[12px] text-error">{refusalText(save.error)}</span>}
    </span>
  );
}

const refusalText = (error: unknown): string =>
  error instanceof Problem ? `${sentence(error.what)} ${error.remedy ? sentence(error.remedy) : ""}` : String(error);

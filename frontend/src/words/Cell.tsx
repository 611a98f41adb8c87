import { useMutation } from "@tanstack/react-query";
import { type ChangeEvent, useId, useRef } from "react";

import { Problem } from "../api/client";
import { ChangedMeanwhile } from "./ChangedMeanwhile";
import { sentence } from "./Trouble";
import { useInPlace } from "./useInPlace";

/**
 * A value edited in place: Enter or leaving it saves it, Escape shows the old one again. `onSave` gets the value that
 * was seen when typing began and returns what is stored then; if somebody else has changed it since, both are shown.
 * What is typed while an earlier text is saved stays, and is saved after it.
 */
export function Cell<T extends string | number | null = string>({
  label,
  value,
  hint,
  list,
  stored,
  words,
  onSave,
}: {
  label: string;
  value: string;
  hint?: string;
  list?: string;
  /** The value as the server has it, where it is not the text that is shown, and how such a value is written here. */
  stored?: T;
  words?: (value: string | number) => string;
  onSave: (value: string, seen: T) => Promise<T>;
}) {
  const current = stored === undefined ? (value as T) : stored;
  const seen = useRef(current);
  const save = useMutation({
    scope: { id: useId() }, // one after the other
    mutationFn: (typed: string) => onSave(typed, seen.current),
    onSuccess: (now, typed) => {
      seen.current = now;
      field.clearIfStill(typed);
    },
  });
  const field = useInPlace({
    onKeep: (typed) => {
      if (typed.trim() !== value || save.isPending) save.mutate(typed);
      else {
        field.clear();
        save.reset();
      }
    },
    onCancel: save.reset,
  });
  const changed = save.error instanceof Problem ? save.error.changed : [];
  const events = {
    ...field.events,
    onChange: (event: ChangeEvent<HTMLInputElement>) => {
      if (field.typed === null) seen.current = current;
      field.events.onChange(event);
    },
  };
  const cancel = () => {
    field.clear();
    save.reset();
  };
  return (
    <span className="block">
      <input
        className={`cell ${save.error ? "cell-wrong" : ""}`}
        aria-label={label}
        aria-invalid={!!save.error}
        placeholder={hint}
        list={list}
        value={field.typed ?? value}
        maxLength={5000}
        {...events}
      />
      {changed.length > 0 && (
        <ChangedMeanwhile
          changed={changed}
          words={words}
          onKeepTheirs={cancel}
          onUseMine={() => {
            if (changed[0]) seen.current = changed[0].now as T;
            save.mutate(field.typed ?? value);
          }}
        />
      )}
      {save.error && changed.length === 0 && (
        <span role="alert" className="block px-2 text-[12px] text-error">
          {refusalText(save.error)}
        </span>
      )}
    </span>
  );
}

const refusalText = (error: unknown): string =>
  error instanceof Problem ? `${sentence(error.what)} ${error.remedy ? sentence(error.remedy) : ""}` : String(error);

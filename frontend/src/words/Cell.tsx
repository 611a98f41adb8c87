import { useMutation } from "@tanstack/react-query";

import { Problem } from "../api/client";
import { sentence } from "./Trouble";
import { useInPlace } from "./useInPlace";

/** A value edited in place: Enter or leaving it keeps it, Escape takes the old one back. */
export function Cell({
  label,
  value,
  hint,
  list,
  onSave,
}: {
  label: string;
  value: string;
  hint?: string;
  list?: string;
  onSave: (value: string) => Promise<void>;
}) {
  const save = useMutation({ mutationFn: (typed: string) => onSave(typed), onSuccess: () => field.clear() });
  const field = useInPlace({
    onKeep: (typed) => {
      if (typed.trim() !== value) save.mutate(typed);
      else {
        field.clear();
        save.reset();
      }
    },
    onCancel: save.reset,
  });
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
        {...field.events}
      />
      {save.error && (
        <span role="alert" className="block px-2 text-[12px] text-error">
          {refusalText(save.error)}
        </span>
      )}
    </span>
  );
}

const refusalText = (error: unknown): string =>
  error instanceof Problem ? `${sentence(error.what)} ${error.remedy ? sentence(error.remedy) : ""}` : String(error);

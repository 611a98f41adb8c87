import { type ChangeEvent, type KeyboardEvent, useRef, useState } from "react";

/**
 * Text typed into a field in place. `onKeep` is called once for what was typed, when Enter is pressed or the field is
 * left, and never after Escape. What was typed is shown until `clear` is called, so a refusal does not remove it.
 */
export function useInPlace({ onKeep, onCancel }: { onKeep: (typed: string) => void; onCancel?: () => void }) {
  const [typed, setTyped] = useState<string | null>(null);
  // Leaving a field and pressing a key in it follow each other before the page is drawn again: only this knows both.
  const waiting = useRef<string | null>(null);
  const type = (text: string) => {
    waiting.current = text;
    setTyped(text);
  };
  const clear = () => {
    waiting.current = null;
    setTyped(null);
  };
  const clearIfStill = (saved: string) => {
    if (waiting.current === saved) waiting.current = null;
    setTyped((now) => (now === saved ? null : now));
  };
  const keep = () => {
    const text = waiting.current;
    waiting.current = null;
    if (text !== null) onKeep(text);
  };
  const cancel = () => {
    clear();
    onCancel?.();
  };
  return {
    typed,
    type,
    keep,
    cancel,
    clear,
    /** Clears the field unless something else was typed since: for when what was typed has been saved. */
    clearIfStill,
    /** For an input whose only keys are Enter and Escape. */
    events: {
      onChange: (event: ChangeEvent<HTMLInputElement>) => type(event.target.value),
      onBlur: keep,
      onKeyDown: (event: KeyboardEvent<HTMLInputElement>) => {
        if (event.key === "Enter") {
          keep();
          event.currentTarget.blur();
        }
        if (event.key === "Escape") cancel();
      },
    },
  };
}

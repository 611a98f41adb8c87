import { useEffect } from "react";

import type { Command } from "../frame/commands";

/** By how much the arrow keys move what is chosen. */
const NUDGES = [
  { modifier: "", ms: 10 },
  { modifier: "Shift+", ms: 100 },
  { modifier: "Alt+", ms: 1 },
] as const;

/** The arrow keys, one way and the other. */
export const nudgeCommands = (nudge: (ms: number) => void, disabled: boolean): Command[] =>
  NUDGES.flatMap(({ modifier, ms }) => [
    { label: `Nudge by −${ms} ms`, keys: [`${modifier}ArrowLeft`], perform: () => nudge(-ms), disabled, repeats: true },
    { label: `Nudge by +${ms} ms`, keys: [`${modifier}ArrowRight`], perform: () => nudge(ms), disabled, repeats: true },
  ]);

/** While R is held, later joins are carried along. */
export function useCarryKey(setCarry: (held: boolean) => void): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (
        event.key.toLowerCase() === "r" &&
        !event.ctrlKey &&
        !event.metaKey &&
        !(event.target instanceof HTMLInputElement)
      )
        setCarry(event.type === "keydown");
    };
    window.addEventListener("keydown", onKey);
    window.addEventListener("keyup", onKey);
    return () => {
      window.removeEventListener("keydown", onKey);
      window.removeEventListener("keyup", onKey);
    };
  }, [setCarry]);
}

/** Says no more often than every so many milliseconds that it is time. */
export class Pace {
  private last = 0;

  constructor(private readonly ms: number) {}

  isDue(): boolean {
    const now = performance.now();
    if (now - this.last < this.ms) return false;
    this.last = now;
    return true;
  }
}

import type { LedgerFilter } from "../api/client";
import { plural } from "../words/figures";

const MOST = 200; // the server gives no more at once

/** The moment a day begins here, as the server takes it; so many days later; nothing for no day. */
export function startOf(day: string, later = 0): string | undefined {
  if (!day) return undefined;
  const start = new Date(`${day}T00:00:00`);
  if (Number.isNaN(start.getTime())) return undefined;
  start.setDate(start.getDate() + later);
  return start.toISOString();
}

/** Entries by the day they fall on here, in the order they come. */
export function byDay<Line extends { at: string }>(lines: readonly Line[]): [string, Line[]][] {
  const days = new Map<string, Line[]>();
  for (const line of lines) {
    const day = new Date(line.at).toLocaleDateString("en-GB", {
      weekday: "long",
      day: "numeric",
      month: "long",
      year: "numeric",
    });
    const held = days.get(day);
    if (held) held.push(line);
    else days.set(day, [line]);
  }
  return [...days];
}

/** How many entries there are, or that there may be more. */
export const howMany = (lines: readonly unknown[]) =>
  lines.length === MOST ? `the newest ${MOST} entries` : plural(lines.length, "entry", "entries");

export const clockOf = (at: string) => new Date(at).toLocaleTimeString("en-GB", { hour: "2-digit", minute: "2-digit" });

/** A filter as an address has it, without what is empty. */
export function asQuery(wanted: LedgerFilter): string {
  return new URLSearchParams(
    Object.entries(wanted).flatMap(([name, value]) => (value ? [[name, String(value)]] : [])),
  ).toString();
}

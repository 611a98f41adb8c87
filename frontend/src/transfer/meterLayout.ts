import type { MeterWindow } from "../api/client";

/** The level meter. Pure arithmetic; levels in dBFS, sizes in CSS pixels. */
export const LOWEST_DBFS = -60;
export const BAND_DBFS: readonly [number, number] = [-12, -3];
export const TICKS_DBFS = [-60, -48, -36, -24, -18, -12, -6, -3, 0] as const;

/** Where a level stands on a scale of `length` pixels; silence and all below the lowest at its beginning. */
export function placeOfLevel(dbfs: number | null | undefined, length: number): number {
  if (dbfs === null || dbfs === undefined) return 0;
  const share = (dbfs - LOWEST_DBFS) / -LOWEST_DBFS;
  return Math.min(1.04, Math.max(0, share)) * length;
}

export interface HistoryColumn {
  x: number;
  width: number;
  /** The louder channel's true peak; null for silence. */
  peakDbtp: number | null;
  rmsDbfs: number | null;
  clipped: boolean;
}

/** Three minutes of windows as columns, the newest at the right edge. */
export function layoutHistory(windows: readonly MeterWindow[], width: number, capacity: number): HistoryColumn[] {
  const columns = Math.max(1, Math.min(Math.floor(width), capacity));
  const perColumn = capacity / columns;
  const out: HistoryColumn[] = [];
  const columnWidth = width / columns;
  for (let column = columns - 1; column >= 0; column--) {
    const to = windows.length - Math.round((columns - 1 - column) * perColumn);
    const from = Math.max(0, windows.length - Math.round((columns - column) * perColumn));
    if (to <= 0) break;
    const part = windows.slice(from, to);
    if (!part.length) continue;
    out.push({
      x: column * columnWidth,
      width: columnWidth,
      peakDbtp: loudest(part.flatMap((one) => one.true_peak_dbtp)),
      rmsDbfs: loudest(part.flatMap((one) => one.rms_dbfs)),
      clipped: part.some((one) => one.clipped_samples.some((count) => count > 0)),
    });
  }
  return out.reverse();
}

export function loudest(levels: readonly (number | null)[]): number | null {
  const known = levels.filter((level): level is number => level !== null);
  return known.length ? Math.max(...known) : null;
}

export type LevelWord = "silent" | "quiet" | "right" | "hot" | "clipped";

/** What the highest peak so far means. */
export function levelWord(peakDbtp: number | null, clipped: number): LevelWord {
  if (clipped > 0) return "clipped";
  if (peakDbtp === null || peakDbtp < -60) return "silent";
  return peakDbtp < BAND_DBFS[0] ? "quiet" : peakDbtp <= BAND_DBFS[1] ? "right" : "hot";
}

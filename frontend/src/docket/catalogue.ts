import type { Plan } from "../api/client";

/** A found track beside the catalogue's, or one of the two alone. */
export interface Row {
  key: string | null;
  /** Number within the side of the found track, from 0; null where none was found. */
  index: number | null;
  /** Number in the catalogue's list, from 0; null where it lists none. */
  listed: number | null;
  lengthS: number | null;
  /** Its length had the carrier run at its nominal speed. */
  trueS: number | null;
  statedS: number | null;
  offS: number | null;
  doubted: boolean;
}

const DOUBTED_S = 6;

/** Found and stated durations side by side, the found ones at the carrier's nominal speed. */
export function comparison(plan: Plan, rateHz: number): Row[] {
  const { catalogue_s: stated, speed_ratio: speed, counts_gap: countsGap } = plan.found;
  const tracks = plan.tracks ?? [];
  const rows: Row[] = tracks.map((track, index) => {
    const next = tracks[index + 1]?.start_sample;
    const end = countsGap && next !== undefined ? next : track.end_sample;
    const lengthS = (end - track.start_sample) / rateHz;
    const trueS = lengthS * (speed ?? 1);
    const listed = track.listed ?? null;
    const statedS = listed === null ? null : (stated[listed] ?? null);
    const offS = statedS === null ? null : trueS - statedS;
    return {
      key: track.key,
      index,
      listed,
      lengthS,
      trueS,
      statedS,
      offS,
      doubted: offS !== null && Math.abs(offS) > DOUBTED_S,
    };
  });
  const used = new Set(rows.map((row) => row.listed));
  stated.forEach((statedS, listed) => {
    if (!used.has(listed))
      rows.push({ key: null, index: null, listed, lengthS: null, trueS: null, statedS, offS: null, doubted: true });
  });
  return rows;
}

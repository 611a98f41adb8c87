import type { Plan, TrackSpan } from "../api/client";
import { UNSURE_BELOW } from "./pageLayout";

/** A place that is heard and signed off: the first start of a side, what lies between two tracks, or the last end. */
export interface Join {
  /** Of the track after it, or "end". */
  id: string;
  before: TrackSpan | null;
  after: TrackSpan | null;
  /** Number within the side of the track after it; the count of tracks for the last end. */
  index: number;
  /** Of the less sure of its two ends; null where a person set both. */
  confidence: number | null;
  signedBy: string | null;
}

/** Which of a join's two ends is moved, or both. */
export type Part = "end" | "start" | "both";

export function joinsOf(tracks: readonly TrackSpan[]): Join[] {
  const last = tracks[tracks.length - 1];
  if (!last) return [];
  const joins = tracks.map((track, index) => joinOf(tracks[index - 1] ?? null, track, index));
  return [...joins, joinOf(last, null, tracks.length)];
}

function joinOf(before: TrackSpan | null, after: TrackSpan | null, index: number): Join {
  const notes = [before?.end, after?.start].filter((note) => note !== undefined);
  const told = notes.map((note) => note.confidence ?? null).filter((value) => value !== null);
  const signed = notes.every((note) => note.signed_by);
  return {
    id: after?.key ?? "end",
    before,
    after,
    index,
    confidence: told.length ? Math.min(...told) : null,
    signedBy: signed ? (notes[0]?.signed_by ?? null) : null,
  };
}

/** Least sure first; what a person set is as good as sure. */
export const byDoubt = (joins: readonly Join[]): Join[] =>
  [...joins].sort((a, b) => (a.confidence ?? 1) - (b.confidence ?? 1) || a.index - b.index);

export function joinName(join: Join, firstNumber: number): string {
  const number = firstNumber + join.index;
  if (!join.before) return `start of ${number}`;
  if (!join.after) return `end of ${number - 1}`;
  return `${number - 1} to ${number}`;
}

/** How sure it is, in a word that goes with every colour. */
export function standing(join: Join): "signed off" | "set by hand" | "sure" | "likely" | "to hear" {
  if (join.signedBy) return "signed off";
  if (join.confidence === null) return "set by hand";
  if (join.confidence < UNSURE_BELOW) return "to hear";
  return join.confidence < 0.9 ? "likely" : "sure";
}

/** Why the finder put it there, both ends in one sentence each. */
export function reasons(join: Join): string[] {
  const told = [join.before?.end.reason, join.after?.start.reason].filter((one): one is string => !!one);
  return [...new Set(told)];
}

/** What is heard across a join as the finished files will sound one after the other: parts of the take, in samples. */
export function acrossSpans(plan: Plan, join: Join, roll: number): [number, number][] {
  const { before, after } = join;
  const [lead, tail] = [plan.lead_samples, plan.tail_samples];
  const sideEnd = plan.side_end_sample ?? plan.take_samples;
  if (before && !after)
    return [[Math.max(before.start_sample, before.end_sample - roll), Math.min(sideEnd, before.end_sample + tail)]];
  if (!after) return [];
  const first = Math.max(before?.end_sample ?? plan.side_start_sample ?? 0, after.start_sample - lead);
  const to = Math.min(after.end_sample, after.start_sample + roll);
  if (!before) return [[first, to]];
  const from = Math.max(before.start_sample, before.end_sample - roll);
  const end = plan.gaps !== "left out" ? first : Math.min(first, before.end_sample + tail);
  return end === first
    ? [[from, to]]
    : [
        [from, end],
        [first, to],
      ];
}

import type { Plan, PlanEdit, TrackSpan } from "../api/client";

/** A place that can be chosen and moved: a track's start, its end, or a join where two tracks touch. */
export interface Edge {
  key: string;
  kind: "start" | "end" | "join";
  sample: number;
  /** Number within the side of the track it belongs to, from 0. */
  index: number;
  confidence: number | null;
}

export const sameEdge = (a: Edge | null, b: Edge | null): boolean => a?.key === b?.key && a?.kind === b?.kind;

/** All edges in order. Where a track ends at the very sample the next begins, the two are one join. */
export function edgesOf(tracks: readonly TrackSpan[]): Edge[] {
  const edges: Edge[] = [];
  tracks.forEach((track, index) => {
    const confidence = track.confidence ?? null;
    const touches = tracks[index - 1]?.end_sample === track.start_sample;
    edges.push({ key: track.key, kind: touches ? "join" : "start", sample: track.start_sample, index, confidence });
    if (tracks[index + 1]?.start_sample !== track.end_sample)
      edges.push({ key: track.key, kind: "end", sample: track.end_sample, index, confidence });
  });
  return edges;
}

/** What an edge is called: a name for people and for screen readers. */
export function edgeName(edge: Edge, firstNumber: number): string {
  const number = firstNumber + edge.index;
  if (edge.kind === "join") return `join of ${number - 1} and ${number}`;
  return `${edge.kind} of ${number}`;
}

/** The edit that brings an edge to a sample. */
export function moveTo(edge: Edge, sample: number, carry: boolean): PlanEdit {
  if (edge.kind === "join") return { op: "move join", track_key: edge.key, by_samples: sample - edge.sample, carry };
  return { op: "move edge", track_key: edge.key, edge: edge.kind, to_sample: sample, carry };
}

/** The plan as it will look, for showing while a hand is still moving; the server decides what it becomes. */
export function preview(plan: Plan, edge: Edge, sample: number, carry: boolean): Plan {
  const by = sample - edge.sample;
  const tracks = plan.tracks?.map((track, index) => {
    const later = index > edge.index && carry;
    const own = index === edge.index;
    const start = later || (own && edge.kind !== "end") ? by : 0;
    const end =
      later || (own && (edge.kind === "end" || carry)) || (edge.kind === "join" && index === edge.index - 1) ? by : 0;
    return { ...track, start_sample: track.start_sample + start, end_sample: track.end_sample + end };
  });
  return { ...plan, tracks };
}

/** How far an edge may be dragged before it meets another. */
export function room(plan: Plan, edge: Edge, carry: boolean): [number, number] {
  const tracks = plan.tracks ?? [];
  const track = tracks[edge.index];
  if (!track) return [edge.sample, edge.sample];
  const before = tracks[edge.index - 1];
  const last = tracks[tracks.length - 1];
  const sideEnd = plan.side_end_sample ?? plan.take_samples;
  const free = sideEnd - (last?.end_sample ?? 0);
  if (edge.kind === "end") {
    const next = tracks[edge.index + 1]?.start_sample ?? sideEnd;
    return [track.start_sample + 1, carry ? edge.sample + free : next];
  }
  const low = edge.kind === "join" ? (before?.start_sample ?? 0) + 1 : (before?.end_sample ?? plan.side_start_sample ?? 0);
  return [low, carry ? edge.sample + free : track.end_sample - 1];
}

export const clamp = (value: number, [low, high]: [number, number]): number => Math.min(high, Math.max(low, value));

import type { Plan, PlanEdit, TrackSpan } from "../api/client";

/** A place that can be chosen and moved: a track's start, its end, or a join where two tracks touch. */
export interface Edge {
  key: string;
  kind: "start" | "end" | "join";
  sample: number;
  /** Number within the side of the track it belongs to, from 0. */
  index: number;
  /** How sure the finder is; null where a person set it. */
  confidence: number | null;
  reason: string;
  /** Signed off: it does not move. */
  locked: boolean;
}

export const sameEdge = (a: Edge | null, b: Edge | null): boolean => a?.key === b?.key && a?.kind === b?.kind;

/** All edges in order. Where a track ends at the very sample the next begins, the two are one join. */
export function edgesOf(tracks: readonly TrackSpan[]): Edge[] {
  const edges: Edge[] = [];
  const add = (track: TrackSpan, index: number, kind: Edge["kind"], sample: number, note: TrackSpan["start"]) =>
    edges.push({
      key: track.key,
      kind,
      sample,
      index,
      confidence: note.confidence ?? null,
      reason: note.reason,
      locked: !!note.signed_by,
    });
  tracks.forEach((track, index) => {
    const touches = tracks[index - 1]?.end_sample === track.start_sample;
    add(track, index, touches ? "join" : "start", track.start_sample, track.start);
    if (tracks[index + 1]?.start_sample !== track.end_sample) add(track, index, "end", track.end_sample, track.end);
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

/** The last edge that is carried along with one: before the first that is signed off. As [track, 0 start | 1 end]. */
function carriedTo(tracks: readonly TrackSpan[], edge: Edge): [number, 0 | 1] {
  let at: [number, 0 | 1] = [edge.index, edge.kind === "end" ? 1 : 0];
  const first = 2 * at[0] + at[1];
  for (let place = first + 1; place < 2 * tracks.length; place++) {
    const track = tracks[place >> 1];
    if ((place % 2 ? track?.end : track?.start)?.signed_by) return at;
    at = [place >> 1, place % 2 ? 1 : 0];
  }
  return at;
}

/** The plan as it will look, for showing while a hand is still moving; the server decides what it becomes. */
export function preview(plan: Plan, edge: Edge, sample: number, carry: boolean): Plan {
  const by = sample - edge.sample;
  const tracks = plan.tracks ?? [];
  const own = 2 * edge.index + (edge.kind === "end" ? 1 : 0);
  const last = carry ? carriedTo(tracks, edge) : [edge.index, own % 2];
  const to = 2 * (last[0] ?? 0) + (last[1] ?? 0);
  const moves = (place: number) => (place >= own && place <= to) || (edge.kind === "join" && place === own - 1);
  return {
    ...plan,
    tracks: tracks.map((track, index) => ({
      ...track,
      start_sample: track.start_sample + (moves(2 * index) ? by : 0),
      end_sample: track.end_sample + (moves(2 * index + 1) ? by : 0),
    })),
  };
}

/** How far an edge may be dragged before it meets another. */
export function room(plan: Plan, edge: Edge, carry: boolean): [number, number] {
  const tracks = plan.tracks ?? [];
  const track = tracks[edge.index];
  if (!track || edge.locked) return [edge.sample, edge.sample];
  const before = tracks[edge.index - 1];
  const sideEnd = plan.side_end_sample ?? plan.take_samples;
  const highest = ([index, end]: [number, 0 | 1]) => {
    const one = tracks[index];
    if (!one) return 0;
    return end ? (tracks[index + 1]?.start_sample ?? sideEnd) - one.end_sample : one.end_sample - 1 - one.start_sample;
  };
  const high = edge.sample + highest(carry ? carriedTo(tracks, edge) : [edge.index, edge.kind === "end" ? 1 : 0]);
  if (edge.kind === "end") return [track.start_sample + 1, high];
  const low =
    edge.kind === "join" ? (before?.start_sample ?? 0) + 1 : (before?.end_sample ?? plan.side_start_sample ?? 0);
  return [low, high];
}

export const clamp = (value: number, [low, high]: [number, number]): number => Math.min(high, Math.max(low, value));

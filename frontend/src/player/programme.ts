/** The arithmetic of playing: parts of a take one after the other, at a speed, in pieces that touch to the sample. */

/** A part of a take in samples, the last may be open. */
export type Span = readonly [number, number | null];

/** What one can listen for. */
export const LISTEN_FOR = ["as it was", "repaired", "taken away"] as const;
export type ListenFor = (typeof LISTEN_FOR)[number];

/** The same in the words of the page. */
export const LISTEN_NAMES: Record<ListenFor, string> = {
  "as it was": "as it was",
  repaired: "repaired",
  "taken away": "removed sound",
};

/** Where a programme is: in which of its spans, and at which sample of the take. */
export interface Place {
  span: number;
  sample: number;
}

/** Samples [first, first + count) of what is listened for, which lie at `sample` of the take. */
export interface Piece {
  span: number;
  first: number;
  count: number;
}

/** A sound that is `ratio` times as fast as the take has sample n of the take at n / ratio. */
export const soundedAt = (sample: number, ratio: number): number => Math.round(sample / ratio);
export const takeSampleAt = (sounded: number, ratio: number): number => sounded * ratio;

/** The next piece from a place on, of at most `count` samples; none at the end. */
export function pieceAt(spans: readonly Span[], place: Place, ratio: number, count: number): Piece | null {
  const span = spans[place.span];
  if (!span) return null;
  const first = soundedAt(place.sample, ratio);
  const end = span[1] === null ? Infinity : soundedAt(span[1], ratio);
  if (first >= end)
    return pieceAt(spans, { span: place.span + 1, sample: spans[place.span + 1]?.[0] ?? 0 }, ratio, count);
  return { span: place.span, first, count: Math.min(count, end - first) };
}

/** The piece that comes after one of which `given` samples came: less than was asked for ends its span. */
export function pieceAfter(
  spans: readonly Span[],
  piece: Piece,
  given: number,
  ratio: number,
  count: number,
  loop: boolean,
): Piece | null {
  const isSpent = given < piece.count;
  const span = spans[piece.span];
  const first = piece.first + given;
  const end = !span || span[1] === null ? Infinity : soundedAt(span[1], ratio);
  if (!isSpent && first < end) return { span: piece.span, first, count: Math.min(count, end - first) };
  const next = spans[piece.span + 1];
  if (next) return pieceAt(spans, { span: piece.span + 1, sample: next[0] }, ratio, count);
  const start = spans[0];
  return loop && start ? pieceAt(spans, { span: 0, sample: start[0] }, ratio, count) : null;
}

/** Pieces that touch, from the sample on at which a place lies in them; none if it lies in none of them. */
export function piecesFrom<P extends Piece>(
  pieces: readonly P[],
  place: Place,
  ratio: number,
): { skip: number; pieces: readonly P[] } | null {
  const sample = soundedAt(place.sample, ratio);
  const at = pieces.findIndex(
    ({ span, first, count }) => span === place.span && sample >= first && sample < first + count,
  );
  const piece = pieces[at];
  return piece ? { skip: sample - piece.first, pieces: pieces.slice(at) } : null;
}

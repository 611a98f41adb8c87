import { expect, test } from "vitest";

import { type Piece, pieceAfter, pieceAt, piecesFrom, type Span } from "./programme";

const walk = (spans: readonly Span[], ratio: number, count: number, length: number): Piece[] => {
  const pieces: Piece[] = [];
  let piece = pieceAt(spans, { span: 0, sample: spans[0]?.[0] ?? 0 }, ratio, count);
  while (piece && pieces.length < 50) {
    const given = Math.max(0, Math.min(piece.count, length - piece.first));
    if (given) pieces.push({ ...piece, count: given });
    piece = pieceAfter(spans, piece, given, ratio, count, false);
  }
  return pieces;
};

test("pieces touch to the sample and end where their span ends", () => {
  const pieces = walk(
    [
      [1000, 1950],
      [5000, 5010],
    ],
    1,
    300,
    10_000,
  );
  expect(pieces.map(({ first, count }) => [first, count])).toEqual([
    [1000, 300],
    [1300, 300],
    [1600, 300],
    [1900, 50],
    [5000, 10],
  ]);
});

test("an open span ends where the sound does", () => {
  expect(walk([[9_500, null]], 1, 300, 10_000).map(({ count }) => count)).toEqual([300, 200]);
});

test("at another speed the same part of the take takes another time, without holes", () => {
  const pieces = walk([[1000, 3000]], 1.25, 500, 100_000);
  expect(pieces[0]?.first).toBe(800);
  expect(pieces.reduce((sum, { count }) => sum + count, 0)).toBe(1600);
  pieces
    .slice(1)
    .forEach((piece, index) => expect(piece.first).toBe((pieces[index]?.first ?? 0) + (pieces[index]?.count ?? 0)));
});

test("a loop begins again after its last part", () => {
  const spans: Span[] = [
    [0, 100],
    [500, 600],
  ];
  const last = { span: 1, first: 500, count: 100 };
  expect(pieceAfter(spans, last, 100, 1, 400, true)).toEqual({ span: 0, first: 0, count: 100 });
  expect(pieceAfter(spans, last, 100, 1, 400, false)).toBeNull();
});

test("a place past the end of its span goes on in the next", () => {
  expect(
    pieceAt(
      [
        [0, 100],
        [500, 600],
      ],
      { span: 0, sample: 100 },
      1,
      400,
    ),
  ).toEqual({ span: 1, first: 500, count: 100 });
  expect(pieceAt([[0, 100]], { span: 0, sample: 100 }, 1, 400)).toBeNull();
});

test("pieces are joined at the very sample at which a place lies in them", () => {
  const pieces = walk(
    [
      [0, 250],
      [500, 600],
    ],
    1,
    100,
    10_000,
  );
  const joined = piecesFrom(pieces, { span: 0, sample: 130 }, 1);
  expect(joined?.skip).toBe(30);
  expect(joined?.pieces.map(({ first }) => first)).toEqual([100, 200, 500]);
  expect(piecesFrom(pieces, { span: 1, sample: 500 }, 1)?.pieces).toHaveLength(1);
  expect(piecesFrom(pieces, { span: 0, sample: 250 }, 1)).toBeNull();
  expect(piecesFrom(pieces, { span: 0, sample: 150 }, 1.25)?.skip).toBe(20);
});

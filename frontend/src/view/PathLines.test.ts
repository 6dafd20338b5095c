import { expect, it } from "vitest";
import { groups, piecesOf } from "./PathLines";

/** Lengths of moves as the distance along at the start and the end of each. */
const along = (lengths: number[]) => {
  let way = 0;
  return lengths.flatMap((length) => [way, (way += length)]);
};

it("joins moves that follow one another until they are long", () => {
  expect([...groups([0, 1, 2, 3], along([2, 2, 2, 2]), 4)]).toEqual([0, 1, 2, 3]);
});

it("never joins over a gap, and keeps a long move whole", () => {
  expect([...groups([0, 1, 5, 6], along([1, 1, 1, 1]), 100)]).toEqual([0, 1, 2, 3]);
  expect([...groups([7], along([50]), 4)]).toEqual([0, 0]);
  expect([...groups([], [], 4)]).toEqual([]);
});

it("draws a move round a bar as short pieces that meet, and all others as one", () => {
  const radius = 20,
    turn = 2 * Math.PI * radius;
  expect(piecesOf([0, 0, 5, 10, 0, 5], radius)).toEqual([[0, 0, 5, 10, 0, 5]]);
  expect(piecesOf([0, 0, 5, 10, 60, 5], 0)).toHaveLength(1);
  const round = piecesOf([0, 0, 5, 10, turn, 8], radius);
  expect(round.length).toBeGreaterThan(50);
  round.slice(1).forEach((piece, k) => expect(piece.slice(0, 3)).toEqual(round[k]?.slice(3)));
  expect(round.at(-1)?.slice(3)).toEqual([10, turn, 8]);
});

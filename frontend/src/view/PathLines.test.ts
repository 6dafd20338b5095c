import { expect, it } from "vitest";
import { groups } from "./PathLines";

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

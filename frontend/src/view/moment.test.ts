import { describe, expect, it } from "vitest";
import type { OperationData } from "./data";
import { momentAt } from "./moment";

const op = (number: number, points: number[][], seconds: number[]): OperationData => {
  let total = 0;
  return {
    number,
    points: Float32Array.from(points.flat()),
    kinds: Uint8Array.from(seconds.map((_, k) => k)),
    ends: Float64Array.from(seconds.map((s) => (total += s))),
    feeds: Float32Array.from(seconds.map(() => 1200)),
    seconds: total,
    frames: {} as OperationData["frames"],
    grid: {} as OperationData["grid"],
  };
};

describe("a moment of the program", () => {
  const list = [
    op(
      10,
      [
        [NaN, NaN, NaN],
        [0, 0, 5],
        [10, 0, 5],
      ],
      [0, 2],
    ),
    op(
      20,
      [
        [10, 0, 5],
        [10, 0, 1],
        [10, 8, 1],
      ],
      [1, 4],
    ),
  ];
  it("is between the ends of its move", () => {
    const now = momentAt(list, 1);
    expect(now?.data.number).toBe(10);
    expect(now?.at).toEqual([5, 0, 5]);
  });
  it("goes on into the next operation", () => {
    const now = momentAt(list, 5);
    expect([now?.data.number, now?.move, now?.at[1]]).toEqual([20, 1, 4]);
    expect(now?.part).toBeCloseTo(0.6);
  });
  it("stays at the end after the end, and where coordinates are not known takes the first that is", () => {
    expect(momentAt(list, Infinity)?.at).toEqual([10, 8, 1]);
    expect(momentAt(list, -5)?.at).toEqual([0, 0, 5]);
  });
  it("is nothing without operations", () => expect(momentAt([], 3)).toBeNull());
});

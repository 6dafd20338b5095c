import { describe, expect, it } from "vitest";
import { lengthOf, nearestPlace, outwardAt, rimsOf, sharesAfter, type Rim } from "./rims";

const square: Rim = [
  [10, 0],
  [10, 10],
  [0, 10],
  [0, 0],
  [10, 0],
];

describe("places on outlines", () => {
  it("takes outlines from one array", () => {
    const flat = [...square, ...square].flat();
    expect(rimsOf(flat, [5n, 10n])).toEqual([square, square]);
    expect(lengthOf(square)).toBe(40);
  });
  it("gives the direction out of an outline, and into the middle of a hole", () => {
    expect(outwardAt([square], [12, 5])).toEqual({ at: [10, 5], out: [1, -0] });
    const hole = [...square].reverse();
    expect(outwardAt([hole], [9, 5])?.out[0]).toBe(-1);
    expect(outwardAt([], [0, 0])).toBeNull();
  });
  it("finds the nearest place on the nearest outline", () => {
    const far: Rim = square.map(([x, y]) => [x + 100, y]);
    expect(nearestPlace([square, far], [12, 5])).toEqual([0, 0.125]);
    expect(nearestPlace([square, far], [104, 11])?.[0]).toBe(1);
    expect(nearestPlace([], [0, 0])).toBeNull();
  });
  it("adds a tab in the middle of the widest gap", () => {
    expect(
      sharesAfter(
        [
          [0, 0.1],
          [0, 0.3],
        ],
        [square],
      )[2],
    ).toEqual([0, expect.closeTo(0.7)]);
    expect(sharesAfter([], [square])).toEqual([[0, 0]]);
  });
});

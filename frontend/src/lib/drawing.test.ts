import { describe, expect, it } from "vitest";
import { afterClick, afterKey } from "./drawing";
import type { Spot } from "./rims";

const corner: Spot[] = [
  [0, 0],
  [40, 0],
  [40, 30],
];

describe("a curve that is drawn", () => {
  it("takes a point with each click", () => {
    expect(afterClick(corner, [0, 30], 2)).toEqual({ points: [...corner, [0, 30]], closed: false });
  });
  it("is closed by a click near its first point, but not before it has three", () => {
    expect(afterClick(corner, [1, 1], 2)).toEqual({ points: corner, closed: true });
    expect(afterClick(corner.slice(0, 2), [1, 1], 2).closed).toBe(false);
  });
  it("does not take the same point twice", () => {
    expect(afterClick(corner, [40, 30], 2)).toEqual({ points: corner, closed: false });
  });
  it("is closed by Enter from three points on, and loses its last point by Backspace", () => {
    expect(afterKey(corner, "Enter")).toEqual({ points: corner, closed: true });
    expect(afterKey(corner.slice(0, 2), "Enter")).toBeNull();
    expect(afterKey(corner, "Backspace")).toEqual({ points: corner.slice(0, 2), closed: false });
    expect(afterKey(corner, "x")).toBeNull();
  });
});

import { describe, expect, it } from "vitest";
import { alongLine, nearestThird, onLevel, onPlane, rounded, turnedBy } from "./drag";

describe("dragging", () => {
  it("finds the place on an axis that the eye is on", () => {
    // Looking straight down at X 7: the X axis is met at 7.
    expect(alongLine({ origin: [7, 0, 50], direction: [0, 0, -1] }, [0, 0, 0], [1, 0, 0])).toBeCloseTo(7);
    // From the front, a little above: the Z axis is met where the ray passes it.
    expect(alongLine({ origin: [0, -100, 12], direction: [0, 1, 0] }, [0, 0, 2], [0, 0, 1])).toBeCloseTo(10);
    expect(alongLine({ origin: [0, 3, 0], direction: [1, 0, 0] }, [0, 0, 0], [1, 0, 0])).toBeNull();
  });
  it("meets a level plane in front of the eye only", () => {
    expect(onLevel({ origin: [0, 0, 10], direction: [1, 0, -1] }, 4)).toEqual([6, 0, 4]);
    expect(onLevel({ origin: [0, 0, 10], direction: [1, 0, 1] }, 4)).toBeNull();
    expect(onLevel({ origin: [0, 0, 10], direction: [1, 0, 0] }, 4)).toBeNull();
  });
  it("tells how far something was turned, the short way round", () => {
    const middle: [number, number, number] = [10, 10, 0];
    expect(turnedBy([20, 10, 0], [10, 20, 0], middle, 2, false)).toBe(90);
    expect(turnedBy([0, 11, 0], [0, 9, 0], middle, 2, false)).toBe(10);
    expect(turnedBy([10, 20, 0], [10, 20, 0.3], middle, 0, true)).toBe(2);
    expect(onPlane({ origin: [0, -10, 3], direction: [0, 1, 0] }, [5, 2, 0], [0, 1, 0])).toEqual([0, 2, 3]);
  });
  it("snaps to what a rule shows", () => {
    expect(rounded(12.3, "mm")).toBe(12.5);
    expect(rounded(12.3, "in")).toBeCloseTo(12.7);
  });
  it("finds the nearest of three places", () => {
    expect([5, 49, 90].map((value) => nearestThird(value, 0, 100))).toEqual(["low", "centre", "high"]);
  });
});

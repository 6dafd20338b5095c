import { describe, expect, it } from "vitest";
import { capOf, lidOf, NO_SECTION, planeOf } from "./section";

const grid = { x0: 0, y0: 0, pitch: 1, nx: 3, ny: 4 };
const cutAway = (section: Parameters<typeof planeOf>[0], [x, y, z]: [number, number, number]) => {
  const [a, b, c, d] = planeOf(section);
  return a * x + b * y + c * z > d;
};

describe("a section", () => {
  it("cuts nothing away while it is off", () => {
    expect(cutAway(NO_SECTION, [1e4, 1e4, 1e4])).toBe(false);
    expect(lidOf(NO_SECTION)).toBeGreaterThan(1e6);
  });
  it("cuts away what lies beyond it, or before it", () => {
    expect(cutAway({ axis: "x", at: 5, flip: false }, [6, 0, 0])).toBe(true);
    expect(cutAway({ axis: "x", at: 5, flip: true }, [6, 0, 0])).toBe(false);
    expect(cutAway({ axis: "y", at: 5, flip: true }, [0, 4, 0])).toBe(true);
    expect(lidOf({ axis: "z", at: -3, flip: false })).toBe(-3);
  });
  it("leaves no face where setups before have cut from below", () => {
    const heights = new Array(12).fill(5),
      under = new Array(12).fill(4);
    const face = capOf({ axis: "x", at: 1, flip: false }, grid, heights, 0, under);
    expect(Math.min(...[...face].filter((_, k) => k % 3 === 2))).toBe(4);
  });
  it("leaves a face from the foot to the heights along it", () => {
    const heights = Array.from({ length: 12 }, (_, k) => -1 - (k % 3));
    const face = capOf({ axis: "x", at: 1, flip: false }, grid, heights, -10);
    expect(face.length).toBe(3 * 2 * 9);
    const zs = [...face].filter((_, k) => k % 3 === 2);
    expect(new Set(zs)).toEqual(new Set([-10, -2]));
    expect(new Set([...face].filter((_, k) => k % 3 === 0))).toEqual(new Set([1]));
  });
  it("has no face where the block is cut through", () => {
    expect(capOf({ axis: "y", at: 0, flip: false }, grid, new Array<number>(12).fill(-10), -10).length).toBe(0);
  });
});

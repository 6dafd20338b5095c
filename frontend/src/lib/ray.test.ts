import { describe, expect, it } from "vitest";
import { between, hitHeights, spanInBox, type Ray } from "./ray";

const grid = { x0: 0.5, y0: 0.5, pitch: 1, nx: 20, ny: 10 };
const flat = new Float32Array(200).fill(-3);

describe("a ray on the block", () => {
  it("meets a level top from straight above", () => {
    const hit = hitHeights({ origin: [4, 5, 100], direction: [0, 0, -1] }, grid, flat, -10, 0);
    expect(hit?.[2]).toBeCloseTo(-3, 4);
  });
  it("meets it from a slant where geometry says", () => {
    const hit = hitHeights({ origin: [0, 5, 7], direction: [1, 0, -1] }, grid, flat, -10, 0);
    expect(hit?.[0]).toBeCloseTo(10, 4);
    expect(hit?.[2]).toBeCloseTo(-3, 4);
  });
  it("stops at the wall of a step, not behind it", () => {
    const step = Float32Array.from(flat, (z, k) => (k % 20 >= 12 ? 0 : z));
    const hit = hitHeights({ origin: [-8, 5, -1], direction: [1, 0, 0] }, grid, step, -10, 0);
    expect(hit?.[0]).toBeCloseTo(12, 3);
  });
  it("misses beside the block and through a column that is gone", () => {
    const holed = Float32Array.from(flat, (z, k) => (k === 5 * 20 + 4 ? -10 : z));
    expect(hitHeights({ origin: [40, 5, 50], direction: [0, 0, -1] }, grid, flat, -10, 0)).toBeNull();
    expect(hitHeights({ origin: [4.5, 5.5, 50], direction: [0, 0, -1] }, grid, holed, -10, 0)).toBeNull();
  });
  it("meets the outer wall of the block from the side", () => {
    const hit = hitHeights({ origin: [-20, 5, -6], direction: [1, 0, 0] }, grid, flat, -10, 0);
    expect(hit?.[0]).toBeCloseTo(0, 6);
  });
});

describe("boxes and directions", () => {
  it("finds where a ray is in a box", () => {
    const ray: Ray = { origin: [-1, 0.5, 0.5], direction: [2, 0, 0] };
    expect(spanInBox(ray, [0, 0, 0], [1, 1, 1])).toEqual([0.5, 1]);
    expect(spanInBox({ ...ray, origin: [-1, 2, 0.5] }, [0, 0, 0], [1, 1, 1])).toBeNull();
  });
  it("tells length and the direction along each axis", () => {
    expect(between([1, 1, 1], [4, 5, 1])).toEqual({ length: 5, by: [3, 4, 0] });
  });
});

import * as THREE from "three";
import { describe, expect, it } from "vitest";
import { barCapOf, capOf, lidOf, NO_SECTION, planeOf } from "./section";

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

describe("the face of a section through a bar", () => {
  const radius = 10,
    ny = 60,
    nx = 5,
    pitch = (2 * Math.PI * radius) / ny;
  const grid = { x0: 0, y0: 0, pitch, nx, ny };
  const bar = new Float32Array(nx * ny).fill(8);
  const area = (triangles: Float32Array) => {
    const corner = (k: number) => new THREE.Vector3().fromArray(triangles, k);
    let sum = 0;
    for (let k = 0; k < triangles.length; k += 9)
      sum += new THREE.Triangle(corner(k), corner(k + 3), corner(k + 6)).getArea();
    return sum;
  };
  it("is a disc across it", () => {
    expect(area(barCapOf({ axis: "x", at: 2, flip: false }, grid, bar, radius))).toBeCloseTo(Math.PI * 64, -1);
  });
  it("is a strip along it, narrower off the axis", () => {
    const along = (at: number, axis: "y" | "z") => area(barCapOf({ axis, at, flip: false }, grid, bar, radius));
    expect(along(0, "y") / (nx * pitch)).toBeCloseTo(16, -1);
    expect(along(6, "z") / (nx * pitch)).toBeLessThan(13);
    expect(along(9, "z")).toBe(0);
    expect(along(0, "y")).toBeCloseTo(along(0, "z"));
  });
  it("is none where nothing is cut away", () => {
    expect(barCapOf({ axis: "x", at: null, flip: false }, grid, bar, radius)).toHaveLength(0);
  });
});

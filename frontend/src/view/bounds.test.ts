import * as THREE from "three";
import { expect, it } from "vitest";
import type { Derived, FullPlan, Operation } from "../api/types";
import { boundsOf } from "./bounds";

const plan = {
  stock: { length: 100, width: 70, thickness: 24 },
  models: [
    { id: "m1", shown: true },
    { id: "m2", shown: false },
  ],
} as unknown as FullPlan;
const derived = {
  models: {
    m1: { state: "placed", low: [10, 20, 2], high: [60, 50, 20] },
    m2: { state: "placed", low: [0, 0, 0], high: [100, 70, 24] },
  },
} as unknown as Derived;
const operation = (boundary: object | undefined) => ({ boundary, cutter: { diameter: 6 } }) as unknown as Operation;
const flat = new THREE.Matrix4();

it("reaches a cutter's radius round the box of what is shown", () => {
  expect(boundsOf(operation(undefined), plan, derived, flat)).toEqual({ low: [7, 17], high: [63, 53] });
});

it("stays inside, or farther out, as the operation asks", () => {
  const inside = operation({ boundary: "box", contain: "inside", offset: 0 });
  expect(boundsOf(inside, plan, derived, flat)).toEqual({ low: [13, 23], high: [57, 47] });
  const farther = operation({ boundary: "stock", contain: "centre", offset: 2 });
  expect(boundsOf(farther, plan, derived, flat)).toEqual({ low: [-2, -2], high: [102, 72] });
});

it("follows the setup's view, and leaves outlines alone", () => {
  const over = new THREE.Matrix4().set(1, 0, 0, 0, 0, -1, 0, 70, 0, 0, -1, 24, 0, 0, 0, 1);
  const seen = boundsOf(operation({ boundary: "box", contain: "centre" }), plan, derived, over);
  expect(seen).toEqual({ low: [10, 20], high: [60, 50] });
  expect(boundsOf(operation({ boundary: "silhouette" }), plan, derived, flat)).toBeNull();
  expect(boundsOf(operation(undefined), { ...plan, models: [] } as FullPlan, derived, flat)).toBeNull();
});

import { expect, it } from "vitest";
import type { FullPlan } from "../../api/types";
import { freshCurve, withPoint } from "./CurveList";

it("begins with a curve inside the stock", () => {
  const { points } = freshCurve({ stock: { length: 200, width: 100 } } as FullPlan, true);
  expect(points.every(([x, y]) => x > 0 && x < 200 && y > 0 && y < 100)).toBe(true);
});
it("adds a point in the middle of the longest side", () => {
  expect(withPoint([[0, 0], [10, 0], [10, 2]])).toEqual([[0, 0], [10, 0], [10, 2], [5, 1]]);
});

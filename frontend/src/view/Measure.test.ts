import { expect, it } from "vitest";
import { measured, nextPoints } from "./Measure";

it("takes two points and begins anew with the third", () => {
  const two = nextPoints(nextPoints([], [0, 0, 0]), [1, 0, 0]);
  expect(two).toHaveLength(2);
  expect(nextPoints(two, [5, 5, 5])).toEqual([[5, 5, 5]]);
});

it("says what lies between, in the unit of the job", () => {
  expect(measured([], "mm")).toEqual(["click a first point"]);
  expect(
    measured(
      [
        [0, 0, 0],
        [3, 4, 0],
      ],
      "mm",
    )[2],
  ).toBe("5 mm apart");
  expect(
    measured(
      [
        [0, 0, 0],
        [25.4, 0, -12.7],
      ],
      "in",
    )[3],
  ).toBe("ΔX 1  ΔY 0  ΔZ -0.5");
});

import { expect, it } from "vitest";
import { pointName } from "./PointGrid";

it("names the nine points as a machinist does", () => {
  expect(pointName("low", "low")).toBe("front left");
  expect(pointName("high", "high")).toBe("back right");
  expect(pointName("centre", "high")).toBe("back");
  expect(pointName("low", "centre")).toBe("left");
  expect(pointName("centre", "centre")).toBe("centre");
});

import { describe, expect, it } from "vitest";
import type { Machine } from "../api/types";
import { asPlanned, copyOf, machineId, travelText, withRotary } from "./machines";

const linear = (name: "X" | "Y" | "Z", travel: number) =>
  ({ name, kind: "linear", travel, rapid: 6000, feed_limit: 5000, acceleration: 600 }) as const;
const shed = {
  id: "shed",
  name: "Shed",
  axes: [linear("X", 800), linear("Y", 600), linear("Z", 110)],
} as unknown as Machine;

describe("machines", () => {
  it("say their travel in the unit of the page", () => {
    expect(travelText(withRotary(shed, true), "mm")).toBe("800 × 600 × 110");
    expect(travelText(shed, "in")).toBe("31.5 × 23.62 × 4.33");
  });
  it("are copied under an id that is free", () => {
    expect(copyOf(shed, ["shed", "shed-2"]).id).toBe("shed-3");
  });
  it("get an axis that turns, and lose it again", () => {
    expect(withRotary(shed, true).axes.map((axis) => axis.name)).toEqual(["X", "Y", "Z", "A"]);
    expect(withRotary(withRotary(shed, true), false)).toEqual(shed);
  });
  it("are held by a plan by name where they ship, and whole otherwise", () => {
    expect(asPlanned({ shipped: true, data: shed })).toBe("shed");
    expect(machineId(asPlanned({ shipped: false, data: shed }) as Parameters<typeof machineId>[0])).toBe("shed");
  });
});

import { describe, expect, it } from "vitest";
import type { Cutter, FullPlan, Zero } from "../api/types";
import { cuttersInOrder, standsOut, zeroShares } from "./PrintSheet";

const cutter = (number: number) => ({ number, overall_length: 50, stickout: null }) as unknown as Cutter;

describe("the printed sheet", () => {
  it("lists each cutter once, in the order in which it is needed", () => {
    const operations = [[10, 4, true], [20, 2, true], [30, 4, true], [40, 9, false]].map(([number, tool, on]) => ({ number, on, cutter: cutter(tool as number) }));
    expect(cuttersInOrder({ setups: [{ operations }] } as unknown as FullPlan).map((item) => item.number)).toEqual([4, 2]);
  });
  it("draws the zero where it is", () => {
    expect(zeroShares({ x: "low", y: "centre", z: "top", at: null } as unknown as Zero, [100, 50, 20])).toEqual([0, 0.5, 1]);
    expect(zeroShares({ x: "low", y: "low", z: "top", at: [25, 50, 0] } as unknown as Zero, [100, 50, 20])).toEqual([0.25, 1, 0]);
  });
  it("lets a cutter stand out as it says, or all but what the collet holds", () => {
    expect(standsOut(cutter(1))).toBe(30);
    expect(standsOut({ ...cutter(1), stickout: 22 })).toBe(22);
  });
});

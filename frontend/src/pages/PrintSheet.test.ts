import { describe, expect, it } from "vitest";
import type { Cutter, OperationInfo, Zero } from "../api/types";
import { cuttersInOrder, zeroShares } from "./PrintSheet";

const cutter = (number: number) => ({ number, overall_length: 50, stickout: null }) as unknown as Cutter;

describe("the printed sheet", () => {
  it("lists each cutter once, in the order in which it is needed, the finer ones too", () => {
    const operations = [
      [4, "current"],
      [2, "out of date"],
      [7, "out of date"],
      [4, "current"],
      [9, "off"],
    ].map(([tool, state]) => ({ state, cutter: cutter(tool as number), outline: [] }));
    expect(cuttersInOrder(operations as unknown as OperationInfo[]).map((item) => item.cutter.number)).toEqual([
      4, 2, 7,
    ]);
  });
  it("draws the zero where it is", () => {
    expect(zeroShares({ x: "low", y: "centre", z: "top", at: null } as unknown as Zero, [100, 50, 20])).toEqual([
      0, 0.5, 1,
    ]);
    expect(zeroShares({ x: "low", y: "low", z: "top", at: [25, 50, 0] } as unknown as Zero, [100, 50, 20])).toEqual([
      0.25, 1, 0,
    ]);
  });
});

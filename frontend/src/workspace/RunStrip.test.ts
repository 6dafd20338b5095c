import { describe, expect, it } from "vitest";
import { stepMove, stepOperation } from "./RunStrip";

const list = [{ seconds: 10, ends: [4, 4, 10] }, { seconds: 5, ends: [1, 5] }];

describe("stepping through the program", () => {
  it("goes from end to end of the operations", () => {
    expect(stepOperation(list, 0, 1)).toBe(10);
    expect(stepOperation(list, 10, 1)).toBe(15);
    expect(stepOperation(list, 15, 1)).toBe(15);
    expect(stepOperation(list, 12, -1)).toBe(10);
    expect(stepOperation(list, 10, -1)).toBe(0);
    expect(stepOperation(list, 0, -1)).toBe(0);
  });
  it("goes from move to move, over those that take no time", () => {
    expect(stepMove(list, { index: 0, move: 0 }, 2, 1)).toBeCloseTo(4, 3);
    expect(stepMove(list, { index: 0, move: 2 }, 4, 1)).toBeCloseTo(10, 3);
    expect(stepMove(list, { index: 1, move: 1 }, 14, -1)).toBeCloseTo(11, 3);
    expect(stepMove(list, { index: 1, move: 0 }, 10.5, -1)).toBeCloseTo(10, 2);
  });
});

import { describe, expect, it } from "vitest";
import { cutterChanges, stepMove, stepOperation } from "./RunStrip";
import { ticks } from "./stripParts";

const list = [
  { seconds: 10, ends: [4, 4, 10] },
  { seconds: 5, ends: [1, 5] },
];

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

describe("cutter changes", () => {
  const cutters: Record<number, { number: number }> = {
    10: { number: 1 },
    20: { number: 1 },
    30: { number: 4 },
    40: { number: 1 },
  };
  const jobs = [10, 20, 30, 40].map((number) => ({ number, seconds: number }));
  it("stand where the next operation has another cutter", () => {
    expect(cutterChanges(jobs, (number) => cutters[number])).toEqual([
      { at: 30, cutter: { number: 4 } },
      { at: 60, cutter: { number: 1 } },
    ]);
  });
  it("are none for the first cutter, nor where nothing is known", () => {
    expect(cutterChanges(jobs.slice(0, 2), (number) => cutters[number])).toEqual([]);
    expect(cutterChanges(jobs, () => undefined)).toEqual([]);
  });
});

describe("the scale", () => {
  it("names even steps, and the end with room before it", () => {
    expect(ticks(7762)).toEqual([0, 1800, 3600, 5400, 7762]);
    expect(ticks(600)).toEqual([0, 120, 240, 360, 480, 600]);
    expect(ticks(30)).toEqual([0, 30]);
  });
});

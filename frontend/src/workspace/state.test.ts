import { describe, expect, it } from "vitest";
import type { Derived, FullPlan, Operation, OperationInfo, SetupInfo } from "../api/types";
import { copied, moved, type Progress, progressText, stateText } from "./state";

const op = (number: number, strategy: string) => ({ number, strategy }) as Operation;
const list = [op(10, "rough"), op(20, "finish"), op(40, "outline")];

it("moves an operation, and the numbers stay in their places", () => {
  expect(moved(list, 20, -1).map((o) => [o.number, o.strategy])).toEqual([
    [10, "finish"],
    [20, "rough"],
    [40, "outline"],
  ]);
});
it("leaves the ends where they are", () => {
  expect(moved(list, 10, -1)).toBe(list);
  expect(moved(list, 40, 1)).toBe(list);
});
it("copies to the end under a free number", () => {
  expect(copied(list, 10, 50).map((o) => o.number)).toEqual([10, 20, 40, 50]);
});
const info = (number: number, change: object = {}) =>
  ({ number, state: "out of date", ...change }) as unknown as OperationInfo;
const setup = (id: string, whole: string, tile: number, ...numbers: number[]) =>
  ({
    id,
    whole,
    tile: tile ? { number: tile, count: 2 } : null,
    operations: numbers.map((n) => info(n)),
  }) as unknown as SetupInfo;

describe("the state of an operation in words", () => {
  const top = setup("a", "a", 0, 10, 20, 30),
    bottom = setup("b", "b", 0, 40, 50),
    tiles = [setup("t.1", "t", 1, 60, 70), setup("t.2", "t", 2, 60, 70)];
  const derived = { setups: [top, bottom, ...tiles] } as unknown as Derived;
  const at = (id: string, operation: number | null, step = 0.42, stage: Progress["stage"] = "operation") => ({
    busy: true,
    ofThis: true,
    derived,
    progress: { setup: id, operation, stage, step },
  });
  it("tells what is done, worked out and waits, in the order of the setups", () => {
    const now = at("b", 40);
    expect(stateText(info(20), [top], now)).toBe("calculated");
    expect(stateText(info(40), [bottom], now)).toBe("calculating 42 %");
    expect(stateText(info(40), [bottom], at("b", 40, 0))).toBe("calculating 0 %");
    expect(stateText(info(50), [bottom], now)).toBe("waiting");
    expect(stateText(info(60), tiles, now)).toBe("waiting");
    expect(stateText(info(50), [bottom], at("b", null, 0.1, "compare"))).toBe("calculated");
    expect(stateText(info(10), [top], at("a", null, 0, "place"))).toBe("waiting");
    expect(stateText(info(50), [bottom], at("", null, 0, "whole"))).toBe("calculated");
  });
  it("counts an operation in tiles over all of them", () => {
    expect(stateText(info(60), tiles, at("t.1", 60, 0.5))).toBe("calculating 25 %");
    expect(stateText(info(60), tiles, at("t.1", 70, 0.5))).toBe("calculating 50 %");
    expect(stateText(info(60), tiles, at("t.2", 60, 0.5))).toBe("calculating 75 %");
    expect(stateText(info(60), tiles, at("t.2", 70, 0.5))).toBe("calculated");
  });
  it("says nothing of a calculation of another revision, or of none", () => {
    const now = at("b", 40);
    expect(stateText(info(40), [bottom], { ...now, ofThis: false })).toBe("out of date");
    expect(stateText(info(40), [bottom], { ...now, busy: false })).toBe("out of date");
    expect(stateText(info(40), [bottom], { ...now, progress: null })).toBe("waiting");
    expect(stateText(info(40, { state: "blocked", reason: "too high" }), [bottom], now)).toBe("blocked: too high");
  });
  it("names the setup where there are several", () => {
    const plan = {
      setups: [
        { id: "a", name: "Top" },
        { id: "b", name: "Bottom" },
        { id: "t", name: "Long", kind: "tiled", tiles: {} },
      ],
    };
    const full = plan as unknown as FullPlan;
    expect(progressText(at("b", 40).progress, full, derived)).toBe("Bottom: operation 40");
    expect(progressText(at("t.2", null, 0, "post").progress, full, derived)).toContain("Long");
    expect(progressText(at("", null, 0, "whole").progress, full, derived)).toBe("comparing the whole part");
    expect(progressText(null, full, derived)).toBe("waiting for a worker");
    expect(progressText(null, full, derived, 2)).toBe("waiting: 2 tasks are before it");
    const one = { setups: [top] } as unknown as Derived;
    expect(progressText(at("a", 10).progress, full, one)).toBe("operation 10");
  });
});

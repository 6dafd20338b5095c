import { expect, it } from "vitest";
import type { Operation, OperationInfo } from "../api/types";
import { copied, moved, stateText } from "./state";

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
it("says in words how an operation stands", () => {
  const info = {
    number: 20,
    parent: 20,
    cutter: {} as OperationInfo["cutter"],
    title: "",
    summary: "",
    line: "",
    outline: [] as [number, number][],
    tabs: [],
    feeds: { sum: "", own: [], kept: [], proposed: { feed: 1, plunge_feed: 1, spindle: 1 }, proposed_sum: "" },
    state: "out of date" as const,
  };
  const at = { busy: true, step: 0.42, ofThis: true, working: "operation 20" },
    order = [10, 20, 30];
  expect(stateText(info, { ...at, busy: false, working: "" }, order)).toBe("out of date");
  expect(stateText(info, at, order)).toBe("calculating 42 %");
  expect(stateText({ ...info, number: 10 }, at, order)).toBe("calculated");
  expect(stateText({ ...info, number: 30 }, at, order)).toBe("waiting");
  expect(stateText(info, { ...at, working: "comparing" }, order)).toBe("calculated");
  expect(stateText(info, { ...at, ofThis: false }, order)).toBe("out of date");
  expect(stateText({ ...info, state: "blocked", reason: "too high" }, at, order)).toBe("blocked: too high");
});

import { expect, it } from "vitest";
import type { Operation, OperationInfo } from "../api/types";
import { copied, moved, stateText } from "./state";

const op = (number: number, strategy: string) => ({ number, strategy }) as Operation;
const list = [op(10, "rough"), op(20, "finish"), op(40, "outline")];

it("moves an operation and renumbers in tens", () => {
  expect(moved(list, 20, -1).map((o) => [o.number, o.strategy])).toEqual([[10, "finish"], [20, "rough"], [30, "outline"]]);
});
it("leaves the ends where they are", () => {
  expect(moved(list, 10, -1)).toBe(list);
  expect(moved(list, 40, 1)).toBe(list);
});
it("copies to the end under a free number", () => {
  expect(copied(list, 10).map((o) => o.number)).toEqual([10, 20, 40, 50]);
});
it("says in words how an operation stands", () => {
  const info = { number: 20, parent: 20, cutter: {} as OperationInfo["cutter"], title: "", summary: "", line: "", outline: [] as [number, number][], tabs: [], feeds: { sum: "", own: [], kept: [], proposed: { feed: 1, plunge_feed: 1, spindle: 1 }, proposed_sum: "" }, state: "out of date" as const };
  expect(stateText(info, { busy: false, fraction: 0, working: "" })).toBe("out of date");
  expect(stateText(info, { busy: true, fraction: 0.42, working: "operation 20" })).toBe("calculating 42 %");
  expect(stateText({ ...info, state: "blocked", reason: "too high" }, { busy: false, fraction: 0, working: "" })).toBe("blocked: too high");
});

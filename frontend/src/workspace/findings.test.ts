import { expect, it } from "vitest";
import type { Derived, Finding, SetupInfo } from "../api/types";
import { findingsOf, jobFindings, toKnow } from "./findings";

const finding = (row: string, level: Finding["level"] = "caution", code = "x") => ({ row, level, code }) as Finding;
const setup = (numbers: number[], findings: Finding[]) =>
  ({ operations: numbers.map((number) => ({ number, parent: number })), findings }) as unknown as SetupInfo;

it("gives each setup its own findings, and the job the rest", () => {
  const top = setup([10, 20], [finding("20", "stop", "gouge")]),
    bottom = setup([30], [finding("30", "note")]);
  const derived = {
    findings: [finding("stock"), finding("10"), finding("30"), finding("m1", "note")],
    setups: [top, bottom],
  } as unknown as Derived;
  expect(findingsOf(derived, top).map((item) => item.row)).toEqual(["10", "20"]);
  expect(findingsOf(derived, bottom).map((item) => item.row)).toEqual(["30", "30"]);
  expect(jobFindings(derived).map((item) => item.row)).toEqual(["stock", "m1"]);
  expect(toKnow(findingsOf(derived, bottom)).map((item) => item.level)).toEqual(["caution"]);
});

// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Derived, FullPlan } from "../api/types";
import { showInSheet } from "../testing/render";
import { EstimatedStrip } from "./EstimatedStrip";

const operations = [
  { number: 10, estimate: { seconds: 600, lines: 1, layers: 1, scallop: null } },
  { number: 20, estimate: { seconds: 1800, lines: 1, layers: 1, scallop: null } },
  { number: 30, estimate: { seconds: 900, lines: 1, layers: 1, scallop: null } },
];
const plan = {
  units: "mm",
  stock: { length: 100, width: 70, thickness: 24 },
  setups: [{ id: "a", name: "A", operations: [{ number: 10 }, { number: 20, on: true }, { number: 30, on: false }] }],
} as unknown as FullPlan;
const derivedWith = (list: unknown[]) =>
  ({ findings: [], setups: [{ id: "a", whole: "a", findings: [], operations: list }] }) as unknown as Derived;

describe("the run strip before anything is calculated", () => {
  it("lays out the operations that are on, as long as they are estimated", () => {
    showInSheet(<EstimatedStrip />, plan, {
      derived: derivedWith(operations),
      chosen: { kind: "operation", number: 20 },
    });
    expect(screen.getByText("≈ 40:00")).toBeTruthy();
    expect(screen.getByText("10")).toBeTruthy();
    expect(screen.getByText("20").style.flexGrow).toBe("1800");
    expect(screen.queryByText("30")).toBeNull();
  });
  it("says what to do while there is no operation", () => {
    showInSheet(<EstimatedStrip />, plan, { derived: derivedWith([]) });
    expect(screen.getByText(/Add an operation/)).toBeTruthy();
  });
});

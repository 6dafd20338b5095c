// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Derived, FullPlan, Rotary } from "../api/types";
import { showInSheet } from "../testing/render";
import { RotarySettings, RotaryZero } from "./inspector/RotarySettings";
import { SetupSettings } from "./inspector/SetupSettings";

const rotary: Rotary = {
  chuck: "left",
  grip: 20,
  chuck_diameter: 80,
  tailstock: "centre",
  centre_diameter: 16,
  clearance: 3,
  core: 8,
  spigot: 0,
};
const plan = {
  units: "mm",
  stock: { kind: "round", length: 200, width: 47, thickness: 47 },
  setups: [{ id: "bar", name: "Setup A · bar", kind: "rotary", rotary, zero: { x: "low", z: "axis" }, operations: [] }],
} as unknown as FullPlan;
const derived = { setups: [{ id: "bar", zero: "the bar's left end, on the axis" }] } as unknown as Derived;
const sheet = { derived, setupId: "bar", problem: "", liveEdit: () => undefined } as never;

describe("a rotary setup", () => {
  it("shows chuck, tailstock and core in the place of a side", () => {
    showInSheet(<SetupSettings />, plan, sheet);
    expect(screen.getByLabelText(/Core diameter/)).toBeTruthy();
    expect(screen.queryByText("Side up")).toBeNull();
  });
  it("changes the core by its number", async () => {
    const { user, sheet: asked } = showInSheet(<RotarySettings rotary={rotary} />, plan, sheet);
    const core = screen.getByLabelText(/Core diameter/);
    await user.clear(core);
    await user.type(core, "6{Enter}");
    expect(asked.edit.mock.calls.at(-1)?.[0]).toEqual({ do: "set_rotary", setup: "bar", change: { core: 6 } });
  });
  it("has no centre and no spigot where the end is free", () => {
    showInSheet(<RotarySettings rotary={{ ...rotary, tailstock: "none" }} />, plan, sheet);
    expect(screen.queryByLabelText(/Centre diameter/)).toBeNull();
    expect(screen.queryByLabelText(/Spigot diameter/)).toBeNull();
  });
  it("says in words where the zero is", () => {
    showInSheet(<RotaryZero />, plan, sheet);
    expect(screen.getByText(/the bar's left end, on the axis/)).toBeTruthy();
  });
});

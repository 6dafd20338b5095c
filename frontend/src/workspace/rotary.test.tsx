// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Derived, FullPlan, Model, ModelState, Rotary } from "../api/types";
import { showInSheet } from "../testing/render";
import { BarPlacement } from "./inspector/BarPlacement";
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
  thick_ends: "none",
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

describe("a model on a bar", () => {
  const model = { id: "m1", name: "finial" } as unknown as Model;
  const placed = (swept: number | null) => ({ swept }) as unknown as ModelState;
  it("says what it sweeps of the bar, and centres it in three ways", async () => {
    const { user, sheet: asked } = showInSheet(<BarPlacement model={model} state={placed(50)} />, plan, sheet);
    expect(screen.getByText(/sweeps ⌀ 50/).textContent).toContain("47");
    expect(screen.getByText(/more than the bar/)).toBeTruthy();
    await user.click(screen.getByRole("button", { name: /centre of mass/ }));
    expect(asked.edit.mock.calls.at(-1)?.[0]).toEqual({ do: "centre_on_axis", model: "m1", by: "mass" });
  });
  it("scales to fit with the allowance that was typed", async () => {
    const { user, sheet: asked } = showInSheet(<BarPlacement model={model} state={placed(40)} />, plan, sheet);
    const allowance = screen.getByLabelText(/Allowance/);
    await user.clear(allowance);
    await user.type(allowance, "2{Enter}");
    await user.click(screen.getByRole("button", { name: "Scale to fit the bar" }));
    expect(asked.edit.mock.calls.at(-1)?.[0]).toEqual({ do: "fit_bar", model: "m1", allowance: 2 });
  });
  it("is not there for a board", () => {
    showInSheet(<BarPlacement model={model} state={placed(null)} />, plan, sheet);
    expect(screen.queryByText(/On the bar/)).toBeNull();
  });
});

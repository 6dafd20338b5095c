// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Derived, FullPlan, SetupInfo } from "../api/types";
import { showInSheet } from "../testing/render";
import { RegistrationLegend } from "../view/RegistrationOutline";
import { WholePanel } from "../view/WholePanel";
import { TurnSettings } from "./inspector/FacesSettings";
import { SetupTools } from "./SetupTools";
import { TurnRow } from "./TurnRow";

const turn = {
  axis: "x",
  angle: 180,
  words: "turn the stock over by half a turn about X",
  found: "stops at the front left corner",
  check: "the zero: front left corner",
};
const info = { id: "b", turn, operations: [] } as unknown as SetupInfo;
const tab = { id: "tab-1", shape: "bar", at: [80, 35, 12], angle: 0, width: 8, thickness: 4, inward: 2 };
const plan = {
  units: "mm",
  stock: { length: 100, width: 70, thickness: 24 },
  setups: [
    { id: "a", name: "Setup A · top face", side: "top", on: true, overrun: 3, operations: [] },
    { id: "b", name: "Setup B · underside", side: "bottom", on: true, overrun: 1, operations: [] },
  ],
  faces: { parting: 12, border: 9, tabs: [tab], registration: { by: "stops" } },
} as unknown as FullPlan;
const derived = {
  setups: [info],
  faces: { hold: 300, push: 20, step: 0, smallest: { a: 2.5, b: 2.75 } },
  whole: {
    key: "k",
    compare: { gouge_max: 0.004, leftover_p99: 0.02, within_tolerance: 0.98, unreachable: 0.1 },
    ridge: 0,
    pieces: [{}],
    makers: ["Setup A", "Setup B"],
  },
} as unknown as Derived;
const sheet = { derived, chosen: { kind: "turn", id: "b" } } as never;

describe("the row between two setups", () => {
  it("says what hands do, where the stock is found again, and what is checked", async () => {
    const { user, sheet: asked } = showInSheet(<TurnRow info={info} first findings={[]} />, plan, sheet);
    expect(screen.getByText("stops at the front left corner")).toBeTruthy();
    expect(screen.getByText("check the zero: front left corner")).toBeTruthy();
    await user.click(screen.getByText(/half a turn about X/));
    expect(asked.choose.mock.calls).toEqual([[{ kind: "turn", id: "b" }]]);
  });
  it("offers the overrun that this mesh needs where the one that is set is smaller", async () => {
    const { user, sheet: asked } = showInSheet(<TurnSettings id="b" />, plan, {
      ...(sheet as object),
      liveEdit: () => undefined,
    });
    expect(screen.getByText(/needs 2.5 mm or more/)).toBeTruthy();
    await user.click(screen.getByText("Set it"));
    expect(asked.edit.mock.calls[0]?.[0]).toEqual({ do: "set_overrun", setup: "b", overrun: 2.9 });
  });
  it("takes a tab out", async () => {
    const { user, sheet: asked } = showInSheet(<TurnSettings id="b" />, plan, {
      ...(sheet as object),
      liveEdit: () => undefined,
    });
    await user.click(screen.getByText("Tabs"));
    await user.click(screen.getByLabelText("Take out tab 1"));
    expect(asked.edit.mock.calls[0]?.[0]).toEqual({ do: "drop_face_tab", tab: "tab-1" });
  });
});

describe("the tools of a setup", () => {
  it("move it, switch it off and delete it", async () => {
    const setup = plan.setups[1] as never;
    const { user, sheet: asked } = showInSheet(<SetupTools setup={setup} />, plan, sheet);
    await user.click(screen.getByLabelText("Move setup up"));
    await user.click(screen.getByText("Switch off"));
    await user.click(screen.getByText("Delete"));
    expect(asked.edit.mock.calls.map(([edit]) => (edit as { do: string }).do)).toEqual([
      "move_setup",
      "change_setup",
      "remove_setup",
    ]);
  });
});

describe("the figures of the whole part", () => {
  it("are those over all surfaces, with a legend that says what is true and which setup left what", async () => {
    const onShown = vi.fn();
    const { user } = showInSheet(<WholePanel shown="deviation" onShown={onShown} />, plan, sheet);
    expect(screen.getByText("98.0 %")).toBeTruthy();
    expect(screen.getByText("0.004 mm")).toBeTruthy();
    expect(screen.getByText("no side reaches")).toBeTruthy();
    await user.click(screen.getByText("By setup"));
    expect(onShown).toHaveBeenCalledWith("setup");
  });
  it("name the setups where their surfaces are coloured", () => {
    showInSheet(<WholePanel shown="setup" onShown={vi.fn()} />, plan, sheet);
    expect(screen.getByText("Setup A")).toBeTruthy();
    expect(screen.getByText("Setup B")).toBeTruthy();
  });
});

describe("a registration error", () => {
  it("is explained where its outline is drawn, and only then", () => {
    const erring = {
      ...plan,
      faces: { ...plan.faces, registration: { by: "stops", dx: 0.1 } },
    } as unknown as FullPlan;
    const { container } = showInSheet(<RegistrationLegend />, erring, {
      derived: { ...derived, faces: { ...derived.faces, step: 0.1 } },
    } as never);
    expect(container.textContent).toMatch(/drawn 20×: step up to 0.1/);
    expect(showInSheet(<RegistrationLegend />, plan, sheet).container.textContent).toBe("");
  });
});

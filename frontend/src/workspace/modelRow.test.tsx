// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Derived, FullPlan, Model } from "../api/types";
import { showInSheet } from "../testing/render";
import { ModelRow } from "./ModelRow";

const model = { id: "m1", name: "Heron", mesh: "abc", shown: true } as Model;
const plan = {
  units: "mm",
  stock: { kind: "box", length: 260, width: 190, thickness: 28 },
  models: [model],
  setups: [{ id: "a", name: "A", operations: [] }],
} as unknown as FullPlan;
const derived = (more: object = {}) =>
  ({
    setups: [],
    models: {
      m1: { state: "ready", low: [12, 11, 8.85], high: [248, 179, 27], facts: { triangles: 443412 }, ...more },
    },
  }) as unknown as Derived;
const sheet = (more: object = {}, chosen: object = { kind: "model", id: "m1" }) =>
  ({ derived: derived(more), chosen, job: { meshes: {} } }) as never;
const shown = (more: object = {}, chosen?: object, on: FullPlan = plan) =>
  showInSheet(<ModelRow model={model} number={1} findings={[]} />, on, sheet(more, chosen));

describe("the row of a model", () => {
  it("says how large it is in its stock, and that it fits", () => {
    shown();
    expect(screen.getByText("236 / 260 mm")).toBeTruthy();
    expect(screen.getByText("18.15 / 28 mm")).toBeTruthy();
    expect(screen.getByText("443 k triangles")).toBeTruthy();
    expect(screen.getAllByLabelText(/: fits$/)).toHaveLength(3);
  });
  it("says along which axis it does not fit", () => {
    shown({ high: [270, 179, 27] });
    expect(screen.getByLabelText("X: does not fit")).toBeTruthy();
    expect(screen.getAllByLabelText(/: fits$/)).toHaveLength(2);
  });
  it("shows lengths in the unit of the job", () => {
    shown({}, undefined, { ...plan, units: "in" });
    expect(screen.getByText("9.291 / 10.236 in")).toBeTruthy();
  });
  it("says what is done with its mesh while no size is known", () => {
    const { container } = shown({ state: "reading" });
    expect(screen.getByText("reading…")).toBeTruthy();
    expect(container.querySelectorAll("[role='img']")).toHaveLength(0);
  });
  it("says why a repair cannot be done, and what to do", () => {
    shown({ state: "refused", reason: "nothing is left above the cut" });
    expect(screen.getByText(/nothing is left above the cut: take that repair out/)).toBeTruthy();
  });
  it("is chosen by its name, and has its tools only then", async () => {
    const { user, sheet: asked } = shown({}, { kind: "stock" });
    expect(screen.queryByText("Rename")).toBeNull();
    await user.click(screen.getByText("Heron"));
    expect(asked.choose).toHaveBeenCalledWith({ kind: "model", id: "m1" });
  });
  it("is renamed by Enter, without spaces round the name", async () => {
    const { user, sheet: asked } = shown();
    await user.click(screen.getByText("Rename"));
    const name = screen.getByLabelText("Name");
    await user.clear(name);
    await user.type(name, "  Plaque {Enter}");
    expect(asked.keep.mock.calls[0]?.[0].models[0].name).toBe("Plaque");
    expect(asked.keep.mock.calls[0]?.[1]).toBe("rename");
  });
  it("is switched off in the plan, and deleted by the server", async () => {
    const { user, sheet: asked } = shown();
    await user.click(screen.getByText("Switch off"));
    expect(asked.keep.mock.calls[0]?.[0].models[0].shown).toBe(false);
    await user.click(screen.getByText("Delete"));
    expect(asked.edit).toHaveBeenCalledWith({ do: "remove_model", model: "m1" }, "delete model");
    expect(asked.choose).toHaveBeenCalledWith({ kind: "stock" });
  });
});

import { describe, expect, it } from "vitest";
import { isWorkedOn } from "../api/live";
import type { Derived, FullPlan } from "../api/types";
import { boundaryChoices, withBoundary, withNewBoundary, withSetup } from "./state";

const plan = {
  stock: { length: 1, width: 1, thickness: 1 },
  models: [],
  boundaries: [],
  setups: [
    { id: "a", name: "a", operations: [] },
    { id: "b", name: "b", operations: [] },
  ],
} as unknown as FullPlan;

describe("boundaries on the sheet", () => {
  it("are numbered on, also after one was taken out", () => {
    const one = withNewBoundary(plan, "a"),
      two = withNewBoundary(one.plan, "a");
    expect([one.id, two.id]).toEqual(["b1", "b2"]);
    const without = { ...two.plan, boundaries: two.plan.boundaries?.filter((item) => item.id !== "b1") } as FullPlan;
    expect(withNewBoundary(without, "a").id).toBe("b3");
    expect(plan.boundaries).toEqual([]);
  });
  it("can be chosen beside those that every job has, but not for themselves", () => {
    const { plan: more } = withNewBoundary(withNewBoundary(plan, "a").plan, "a");
    expect(Object.keys(boundaryChoices(more))).toEqual(["box", "silhouette", "stock", "b1", "b2"]);
    expect(Object.keys(boundaryChoices(more, "b1"))).toEqual(["box", "silhouette", "stock", "b2"]);
  });
  it("are changed one at a time, and a setup too", () => {
    const { plan: more } = withNewBoundary(withNewBoundary(plan, "a").plan, "a");
    expect(withBoundary(more, "b2", { offset: 3 }).boundaries?.map((item) => item.offset)).toEqual([undefined, 3]);
    expect(withSetup(plan, "a", { clearance: 9 }).setups.map((setup) => setup.clearance)).toEqual([9, undefined]);
  });
});

describe("what workers are at", () => {
  const model = (state: string) => ({ m1: { state } });
  const derived = (state: string, outlines: Record<string, unknown>, drawn = true) =>
    ({ models: model(state), findings: [], pitch: 1, setups: [{ outlines, drawn }] }) as unknown as Derived;
  it("is looked at often while a mesh is read or repaired or a boundary drawn, and then no more", () => {
    expect(isWorkedOn(derived("reading", {}))).toBe(true);
    expect(isWorkedOn(derived("working", {}))).toBe(true);
    expect(isWorkedOn(derived("ready", { b1: null }))).toBe(true);
    expect(isWorkedOn(derived("ready", { b1: { key: "x" } }))).toBe(false);
    expect(isWorkedOn(derived("refused", {}))).toBe(false);
    expect(isWorkedOn(derived("ready", {}, false))).toBe(true);
  });
});

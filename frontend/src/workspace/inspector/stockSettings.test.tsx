// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { screen, within } from "@testing-library/react";
import { beforeEach, describe, expect, it } from "vitest";
import type { FullPlan } from "../../api/types";
import { showInSheet } from "../../testing/render";
import { answer, serve } from "../../testing/server";
import { StockSettings } from "./StockSettings";

const machine = { id: "shed-router", name: "Shed router", axes: [], bed: null };
const lime = { name: "lime", group: "hardwood" };
const oak = { name: "oak", group: "hardwood" };
const plan = (more: object = {}) =>
  ({
    units: "mm",
    machine: "shed-router",
    stock: { kind: "box", length: 200, width: 120, thickness: 25, material: lime, grain: "x", ...more },
    models: [],
    setups: [
      {
        id: "a",
        kind: "face",
        side: "top",
        name: "A",
        operations: [],
        keep_outs: [],
        zero: { x: "low", y: "low", z: "top", at: null },
        clearance: 5,
        packing: 0,
      },
    ],
  }) as unknown as FullPlan;
const more = {
  job: { id: 1, revision: 1, machine },
  derived: {
    pitch: 0.3,
    setups: [{ id: "a", zero: "front left corner", zero_at: [0, 0, 25], size: [200, 120, 25], bar: null }],
    models: {},
  },
  chosen: { kind: "stock" },
  problem: "",
  liveEdit: () => undefined,
} as never;
const settings = (own: object = {}) =>
  showInSheet(
    <QueryClientProvider client={new QueryClient()}>
      <StockSettings />
    </QueryClientProvider>,
    plan(own),
    more,
  );

beforeEach(() =>
  serve(({ what }) =>
    answer(
      what.endsWith("/materials")
        ? [
            { id: 1, data: lime },
            { id: 2, data: oak },
          ]
        : what.endsWith("/machines")
          ? [{ id: "shed-router", shipped: true, data: machine }]
          : [],
    ),
  ),
);

describe("the stock", () => {
  it("takes arithmetic and units in its sizes", async () => {
    const { user, sheet } = settings();
    const field = screen.getByLabelText(/Length, X/);
    await user.clear(field);
    await user.type(field, "8in{Enter}");
    expect(sheet.edit.mock.calls.at(-1)?.[0]).toEqual({ do: "size_stock", length: 203.2 });
  });

  it("shows one diameter of a round bar", () => {
    settings({ kind: "round", width: 60, thickness: 60 });
    expect(screen.getByLabelText(/Diameter/)).toBeTruthy();
    expect(screen.queryByLabelText(/Thickness, Z/)).toBeNull();
  });

  it("becomes as large as the models with the margins that are typed", async () => {
    const { user, sheet } = settings();
    await user.click(screen.getByText("Make the stock fit…"));
    const dialog = within(await screen.findByRole("dialog"));
    await user.clear(dialog.getByLabelText(/Below/));
    await user.type(dialog.getByLabelText(/Below/), "3{Enter}");
    await user.click(dialog.getByText("Make it fit"));
    expect(sheet.edit.mock.calls).toEqual([
      [{ do: "fit_stock", left: 10, right: 10, front: 10, back: 10, above: 1, below: 3 }, "make the stock fit"],
    ]);
  });

  it("is made of one of the materials on the shelf", async () => {
    const { user, sheet } = settings();
    await user.click(await screen.findByLabelText(/^Material/));
    await user.click(await screen.findByRole("option", { name: "oak" }));
    const kept = sheet.keep.mock.calls.at(-1)?.[0] as FullPlan;
    expect(kept.stock.material?.name).toBe("oak");
  });
});

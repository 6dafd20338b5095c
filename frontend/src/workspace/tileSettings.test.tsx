// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Derived, FullPlan, SetupInfo, Tiles } from "../api/types";
import { showInSheet } from "../testing/render";
import { SlideSettings } from "./inspector/SlideSettings";
import { longest, TileSettings } from "./inspector/TileSettings";
import { setupOf, shownSetup } from "./state";
import { TileRow } from "./TileRow";

const tiles = { seams_x: [400], overrun: 5, errors: [], strips: [] } as unknown as Tiles;
const planWith = (more: object | null) =>
  ({
    units: "mm",
    stock: { kind: "box", length: 900, width: 200, thickness: 30 },
    setups: [
      more
        ? { id: "a", kind: "tiled", name: "Setup A · top face", operations: [], tiles: { ...tiles, ...more } }
        : { id: "a", kind: "face", name: "Setup A · top face", operations: [] },
    ],
  }) as unknown as FullPlan;
const part = {
  id: "a.2",
  whole: "a",
  size: [900, 200, 30],
  zero: "the seam, 400 mm from the board's left end",
  tile: { of: "a", number: 2, count: 2, strip: false, slid: [400, 0], words: "X 400 mm to 900 mm" },
  turn: { slide: true, words: "slide the board 400 mm to the left", found: "by a stop", check: "the zero" },
  time: { total: 60 },
  programs: [],
  operations: [],
} as unknown as SetupInfo;
const derived = (more: object = {}) =>
  ({ setups: [{ ...part, ...more }], seam_costs: { a: { at: [0, 450, 900], cost: [1, 0, 1] } } }) as unknown as Derived;
const sheet = (more: object = {}) =>
  ({
    derived: derived(more),
    setupId: "a.2",
    problem: "",
    chosen: { kind: "stock" },
    liveEdit: () => undefined,
  }) as never;
const setup = (plan: FullPlan) => setupOf(plan, "a");

describe("tiles in the inspector", () => {
  it("are offered where the setup is cut whole", async () => {
    const plan = planWith(null);
    const { user, sheet: asked } = showInSheet(<TileSettings setup={setup(plan)} />, plan, sheet());
    await user.click(screen.getByText("Tiles"));
    await user.click(screen.getByText("Cut in two tiles along X"));
    expect(asked.edit.mock.calls[0]?.[0]).toEqual({ do: "cut_in_tiles", setup: "a", axis: "x", count: 2 });
  });
  it("move a seam by its number, and take it out", async () => {
    const plan = planWith({});
    const { user, sheet: asked } = showInSheet(<TileSettings setup={setup(plan)} />, plan, sheet());
    const seam = screen.getByLabelText(/Seam 1 at X/);
    await user.clear(seam);
    await user.type(seam, "450{Enter}");
    expect(asked.edit.mock.calls.at(-1)?.[0]).toEqual({ do: "move_seam", setup: "a", seam: 1, axis: "x", at: 450 });
    await user.click(screen.getByLabelText("Take out seam 1"));
    expect(asked.edit.mock.calls.at(-1)?.[0]).toMatchObject({ do: "drop_seam", seam: 1 });
  });
  it("draw what a seam costs, and ask for dowels only where the board is found by them", () => {
    const plan = planWith({ slide: "dowels" });
    showInSheet(<TileSettings setup={setup(plan)} />, plan, sheet());
    expect(screen.getByRole("img", { name: /seam costs/ })).toBeTruthy();
    expect(screen.getByLabelText(/Dowel diameter/)).toBeTruthy();
    expect(longest(tiles, "x", 900)).toBe(500);
  });
});

describe("a slide in the inspector", () => {
  it("says what hands do, and takes an error", async () => {
    const { user, sheet: asked } = showInSheet(<SlideSettings info={part} />, planWith({}), sheet());
    expect(screen.getByText(/Slide the board 400 mm to the left/)).toBeTruthy();
    await user.click(screen.getByText("Registration error"));
    const height = screen.getByLabelText(/In height/);
    await user.clear(height);
    await user.type(height, "0.2{Enter}");
    expect(asked.edit.mock.calls.at(-1)?.[0]).toEqual({
      do: "assume_slide_error",
      setup: "a",
      tile: 2,
      change: { dz: 0.2 },
    });
  });
  it("tells the step of an assumed error from the proof", async () => {
    const plan = planWith({ errors: [{ tile: 2, dz: -0.3 }] });
    const steps = [{ axis: "x", at: 400, mean: -0.29, most: -0.31 }];
    const { user } = showInSheet(<SlideSettings info={part} />, plan, sheet({ summary: { steps } }));
    await user.click(screen.getByText("Registration error"));
    expect(screen.getByText(/steps down by 0.31 mm at most/)).toBeTruthy();
  });
  it("adds a strip to a seam that came out with a step, and takes it away", async () => {
    const { user, sheet: asked } = showInSheet(<SlideSettings info={part} />, planWith({}), sheet());
    await user.click(screen.getByText("The seam came out with a step"));
    await user.click(screen.getByText("Add the strip"));
    expect(asked.edit.mock.calls.at(-1)?.[0]).toMatchObject({ do: "add_strip", setup: "a", seam: 1, side: "before" });
    const plan = planWith({ strips: [{ seam: 1, side: "after", height: 0.2, width: 40 }] });
    const { user: again, sheet: other } = showInSheet(<SlideSettings info={part} />, plan, sheet());
    await again.click(screen.getByText("Take the strip away"));
    expect(other.edit.mock.calls.at(-1)?.[0]).toEqual({ do: "drop_strip", setup: "a", seam: 1, axis: "x" });
  });
});

describe("a tile on the sheet", () => {
  it("has its slide, its place and its zero, and is chosen by its name", async () => {
    const { user, sheet: asked } = showInSheet(<TileRow info={part} />, planWith({}), sheet());
    expect(screen.getByText("X 400 mm to 900 mm")).toBeTruthy();
    expect(screen.getByText(/zero the seam/)).toBeTruthy();
    await user.click(screen.getByText("Tile 2"));
    expect(asked.choose.mock.calls[0]?.[0]).toEqual({ kind: "setup", id: "a.2" });
  });
  it("stays shown when another operation of its setup is chosen, and goes with its tiles", () => {
    const plan = planWith({});
    expect(shownSetup(plan, { kind: "stock" }, "a.2")).toBe("a.2");
    expect(shownSetup(planWith(null), { kind: "stock" }, "a.2")).toBe("a");
  });
});

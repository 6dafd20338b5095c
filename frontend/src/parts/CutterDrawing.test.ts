import { expect, it } from "vitest";
import type { Cutter } from "../api/types";
import { cutterOutline } from "./CutterDrawing";
import { outOfRange } from "./fields";

const cutter: Cutter = { number: 1, name: "c", shape: "flat", diameter: 6, flute_length: 18, shank_diameter: 8, overall_length: 50, flutes: 2, feed: 1, plunge_feed: 1, spindle: 1 };

it("draws the end of a cutter to its shape", () => {
  expect(cutterOutline(cutter)).toContain("L 3 0 L -3 0");
  expect(cutterOutline({ ...cutter, shape: "ball" })).toContain("A 3 3 0 0 1 -3 -3");
  expect(cutterOutline(cutter)).toContain("M 4 ");
});

it("knows what is out of range", () => {
  expect(outOfRange(0, { over: 0 })).toBe(true);
  expect(outOfRange(0, { low: 0, high: 1 })).toBe(false);
  expect(outOfRange(2, { low: 0, high: 1 })).toBe(true);
});

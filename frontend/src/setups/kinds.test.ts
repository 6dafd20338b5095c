import { describe, expect, it } from "vitest";
import type { FullPlan, Setup } from "../api/types";
import { hasBar, holdingOf, overrunOf, sideOf, sideUp, tilesOf } from "./kinds";

const named = (words: object): Setup => ({ id: "a", name: "A", operations: [], ...words }) as unknown as Setup;
const rotary = { core: 6 };
const tiles = { seams_x: [400] };
const FACE = named({ kind: "face", side: "bottom", overrun: 1.5 });
const BAR = named({ kind: "rotary", rotary });
const TILED = named({ kind: "tiled", side: "top", tiles });
const plan = (...setups: Setup[]) => ({ setups }) as unknown as FullPlan;

describe("what the page asks of a setup of any kind", () => {
  it("is the side that is up, and how far it cuts past the parting", () => {
    expect([FACE, TILED, BAR].map(sideOf)).toEqual(["bottom", "top", "top"]);
    expect([FACE, TILED, BAR].map(overrunOf)).toEqual([1.5, 0, 0]);
    expect(sideUp(BAR)).toBeNull();
  });

  it("is its tiles, or what holds its bar", () => {
    expect([FACE, TILED, BAR].map(tilesOf)).toEqual([null, tiles, null]);
    expect([FACE, TILED, BAR].map(holdingOf)).toEqual([null, null, rotary]);
  });

  it("is whether the stock rotates in any of the setups", () => {
    expect(hasBar(plan(FACE, BAR))).toBe(true);
    expect(hasBar(plan(FACE, TILED))).toBe(false);
  });
});

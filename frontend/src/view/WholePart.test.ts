import * as THREE from "three";
import { describe, expect, it } from "vitest";
import { scene } from "../theme";
import { deviationColour, makerColour } from "./WholePart";

describe("the whole part compared", () => {
  const at = (d: number) => `#${deviationColour(d, 0.02, 0.2, new THREE.Color()).getHexString().toUpperCase()}`;
  it("is pale where it is true, red where it is gouged, violet where something is left", () => {
    expect(at(0.01)).toBe(at(-0.01));
    expect(at(0.5)).toBe(scene.leftover.toUpperCase());
    expect(at(-0.5)).toBe(scene.gouge.toUpperCase());
    expect(at(0.1)).not.toBe(at(-0.1));
  });
  it("has a tone of its own for the frame, which is no part", () => {
    expect(at(NaN)).not.toBe(at(0));
  });
});

describe("the whole part by setup", () => {
  it("has a colour for each setup, and one for the stock's own surface", () => {
    expect(new Set([makerColour(0), makerColour(1), makerColour(2), makerColour(255)]).size).toBe(4);
  });
});

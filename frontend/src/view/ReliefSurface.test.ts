import { describe, expect, it } from "vitest";
import type { ReliefPiece } from "../api/types";
import { dragged } from "./ReliefSurface";

const piece = {
  id: "p1",
  name: "Disc",
  source: { kind: "circle", diameter: 20 },
  at: [10, 0],
  angle: 0,
} as unknown as ReliefPiece;

describe("a piece that is dragged", () => {
  it("moves by as much as the hand", () => {
    expect(dragged(piece, "move", [10, 0], [3, -2], "mm")).toEqual({ at: [13, -2] });
  });
  it("turns about its place", () => {
    expect(dragged(piece, "turn", [20, 0], [-10, 10], "mm")).toEqual({ angle: 90 });
  });
  it("grows with the distance from its place", () => {
    expect(dragged(piece, "scale", [20, 0], [10, 0], "mm")).toEqual({ source: { kind: "circle", diameter: 40 } });
  });
});

import { describe, expect, it } from "vitest";
import type { ReliefPiece } from "../api/types";
import { dragged, pointsOf, withPoint } from "./ReliefSurface";

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
  it("has its points moved one by one", () => {
    const drawn = {
      kind: "drawn",
      curves: [
        {
          points: [
            [0, 0],
            [10, 0],
            [5, 5],
          ],
          smooth: false,
        },
      ],
    } as unknown as ReliefPiece["source"];
    expect(pointsOf(drawn)[0]?.[1]).toEqual([10, 0]);
    expect(pointsOf(withPoint(drawn, 0, 1, [12, 1]))[0]?.[1]).toEqual([12, 1]);
    const path = {
      kind: "path",
      closed: false,
      vertices: [
        [0, 0, 0.5],
        [4, 0, 0],
      ],
    } as unknown as ReliefPiece["source"];
    expect(withPoint(path, 0, 0, [1, 2])).toMatchObject({
      vertices: [
        [1, 2, 0.5],
        [4, 0, 0],
      ],
    });
    expect(pointsOf(piece.source)).toEqual([]);
  });
  it("turns about its place", () => {
    expect(dragged(piece, "turn", [20, 0], [-10, 10], "mm")).toEqual({ angle: 90 });
  });
  it("grows with the distance from its place", () => {
    expect(dragged(piece, "scale", [20, 0], [10, 0], "mm")).toEqual({ source: { kind: "circle", diameter: 40 } });
  });
});

import { describe, expect, it } from "vitest";
import {
  boxOf,
  inPiece,
  insideRings,
  onPlan,
  pieceAt,
  reachCoordinates,
  reachPicture,
  readPreview,
  readReach,
  sectionEnds,
  sectionLine,
  sectionMark,
  type ReachHead,
  type Ring,
} from "./relief";

const square: Ring = [
  [0, 0, 0],
  [10, 0, 0],
  [10, 10, 0],
  [0, 10, 0],
];
const hole: Ring = [
  [4, 4, 0],
  [6, 4, 0],
  [6, 6, 0],
  [4, 6, 0],
];

describe("a relief", () => {
  it("finds a place inside a ring, and not inside its hole", () => {
    expect(insideRings([square, hole], [2, 2])).toBe(true);
    expect(insideRings([square, hole], [5, 5])).toBe(false);
    expect(insideRings([square, hole], [12, 5])).toBe(false);
  });
  it("picks the uppermost piece under a place", () => {
    const outlines = { body: [square], field: [hole] };
    expect(pieceAt(["body", "field"], outlines, [5, 5])).toBe("field");
    expect(pieceAt(["body", "field"], outlines, [1, 1])).toBe("body");
    expect(pieceAt(["body", "field"], outlines, [20, 1])).toBeUndefined();
  });
  const reach = { x0: -1, y0: 0, step: 0.5, nx: 2, ny: 1, unit: 0.02, limit: 0.05 } as ReachHead;
  it("reads what a cutter leaves from its bytes", () => {
    let text = JSON.stringify(reach);
    text += " ".repeat((4 - (text.length % 4)) % 4);
    const data = new Uint8Array(4 + text.length + 2);
    new DataView(data.buffer).setUint32(0, text.length, true);
    data.set(new TextEncoder().encode(text), 4);
    data.set([0, 250], 4 + text.length);
    expect([...readReach(data.buffer).left]).toEqual([0, 250]);
  });
  it("keeps its own colour where a cutter leaves no more than the limit", () => {
    const picture = reachPicture({ head: reach, left: new Uint8Array([2, 250]) }, [200, 190, 180], [100, 70, 150]);
    expect([...picture]).toEqual([200, 190, 180, 255, 100, 70, 150, 255]);
  });
  it("puts vertices on the middles of the cells that they lie in", () => {
    expect([...reachCoordinates(new Float32Array([-1, 0, 3, -0.5, 0, 9]), reach)]).toEqual([0.25, 0.5, 0.75, 0.5]);
  });
  it("draws a section from one end to the other, at its heights", () => {
    const mark = sectionMark({ height: [0, 4, 2] }, [[0, 0], [10, 20]], 0.5); // prettier-ignore
    expect(mark.points).toEqual([[0, 0, 0], [5, 10, 4], [10, 20, 2]]); // prettier-ignore
    expect(mark.at).toEqual([5, 10, 4]);
  });
  it("reads a preview from its bytes", () => {
    const head = JSON.stringify({ vertices: 3, faces: 1, outlines: {}, refused: {}, gaps: [], height: 1, matrix: [] });
    const text = new TextEncoder().encode(head + " ".repeat((4 - (head.length % 4)) % 4));
    const data = new ArrayBuffer(4 + text.length + 36 + 12);
    new DataView(data).setUint32(0, text.length, true);
    new Uint8Array(data, 4, text.length).set(text);
    new Float32Array(data, 4 + text.length, 9).set([0, 0, 0, 1, 0, 0, 0, 1, 2.5]);
    new Uint32Array(data, 4 + text.length + 36, 3).set([0, 1, 2]);
    const read = readPreview(data);
    expect(read.vertices[8]).toBe(2.5);
    expect([...read.faces]).toEqual([0, 1, 2]);
  });
  it("runs a section from edge to edge, past both", () => {
    const box = boxOf([square]);
    expect(box).toEqual({ low: [0, 0], high: [10, 10] });
    expect(box && sectionEnds(box, "y", 5)).toEqual([
      [5, -2],
      [5, 12],
    ]);
    expect(boxOf([])).toBeNull();
  });
  it("takes a place of a piece to the plan, and a way back", () => {
    const lying = { at: [10, 5] as [number, number], angle: 90, mirror: true };
    const [x, y] = onPlan(lying, [3, 1]);
    expect([x, y]).toEqual([expect.closeTo(9), expect.closeTo(2)]);
    const own = inPiece(lying, [x - 10, y - 5]);
    expect(own).toEqual([expect.closeTo(3), expect.closeTo(1)]);
  });
  it("draws heights upwards", () => {
    expect(sectionLine([0, 5, 10], [0, 4, 2], 100, 40, 4)).toBe("0.00,40.00 50.00,0.00 100.00,20.00");
  });
});

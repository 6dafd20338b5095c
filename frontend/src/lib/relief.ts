/** Built-up reliefs: reading a preview, finding the piece under a place, and drawing a section. */

import type { Point } from "./ray";

/** Red, green and blue, 0 to 255. */
export type RGB = [number, number, number];
export type Spot = [number, number];
/** Points of a closed outline: X, Y, and the height of the surface there. */
export type Ring = [number, number, number][];

export interface ReliefHead {
  vertices: number;
  faces: number;
  /** From the relief to the stock. */
  matrix: number[][];
  /** The outlines of the pieces that are on, by id, the lowest first. */
  outlines: Record<string, Ring[]>;
  /** Why pieces are left out, by id. */
  refused: Record<string, string>;
  gaps: { pieces: [string, string]; distance: number; at: Spot }[];
  height: number;
}

export interface ReliefPreview {
  head: ReliefHead;
  vertices: Float32Array;
  faces: Uint32Array;
}

/** The head of an answer, and where its arrays begin: the length of the head, then the head as JSON. */
function readHead<T>(data: ArrayBuffer): [T, number] {
  const long = new DataView(data).getUint32(0, true);
  return [JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, long))) as T, 4 + long];
}

/** A preview from its bytes: its head, vertices, faces. */
export function readPreview(data: ArrayBuffer): ReliefPreview {
  const [head, first] = readHead<ReliefHead>(data);
  const vertices = new Float32Array(data, first, 3 * head.vertices);
  return { head, vertices, faces: new Uint32Array(data, first + vertices.byteLength, 3 * head.faces) };
}

/** What a cutter leaves of a relief (see docs/reliefs.md). Lengths are millimetres on the plan of the relief. */
export interface ReachHead {
  x0: number;
  y0: number;
  step: number;
  nx: number;
  ny: number;
  /** What a byte of the array counts. */
  unit: number;
  limit: number;
  most: number;
  share: number;
  wide: number;
  at: Spot;
  piece: string | null;
}

export interface Reach {
  head: ReachHead;
  left: Uint8Array;
}

/** What a cutter leaves, from its bytes. */
export function readReach(data: ArrayBuffer): Reach {
  const [head, first] = readHead<ReachHead>(data);
  return { head, left: new Uint8Array(data, first, head.nx * head.ny) };
}

/** Where vertices lie in the picture of what a cutter leaves, as texture coordinates. */
export function reachCoordinates(vertices: Float32Array, head: ReachHead): Float32Array {
  const out = new Float32Array((vertices.length / 3) * 2);
  for (let k = 0; k < vertices.length / 3; k++) {
    out[2 * k] = (((vertices[3 * k] as number) - head.x0) / head.step + 0.5) / head.nx;
    out[2 * k + 1] = (((vertices[3 * k + 1] as number) - head.y0) / head.step + 0.5) / head.ny;
  }
  return out;
}

/** The picture of what a cutter leaves, RGBA: the surface's own colour, and where more is left the other, stronger the
 * more it is. */
export function reachPicture({ head, left }: Reach, plain: RGB, missed: RGB): Uint8Array {
  const out = new Uint8Array(4 * left.length);
  left.forEach((value, k) => {
    const mm = value * head.unit;
    const share = mm <= head.limit ? 0 : 0.45 + 0.55 * Math.min(mm, 1);
    for (let c = 0; c < 3; c++)
      out[4 * k + c] = Math.round((plain[c] as number) * (1 - share) + (missed[c] as number) * share);
    out[4 * k + 3] = 255;
  });
  return out;
}

/** A section as a line in the space of the relief, and the place on it that is looked at. */
export interface SectionMark {
  points: Point[];
  at: Point;
}

/** The line of a section from one end on the plan to the other; `share` of it is looked at. */
export function sectionMark(section: { height: number[] }, [a, b]: [Spot, Spot], share: number): SectionMark {
  const last = Math.max(section.height.length - 1, 1);
  const points = section.height.map((z, k): Point => [
    a[0] + ((b[0] - a[0]) * k) / last,
    a[1] + ((b[1] - a[1]) * k) / last,
    z,
  ]);
  return { points, at: points[Math.round(share * (points.length - 1))] ?? [a[0], a[1], 0] };
}

/** Whether a place lies inside rings, a ring in another being a hole. */
export function insideRings(rings: Ring[], [x, y]: Spot): boolean {
  let inside = false;
  for (const ring of rings)
    for (let k = 0, before = ring.length - 1; k < ring.length; before = k++) {
      const [ax, ay] = ring[k] as Ring[number],
        [bx, by] = ring[before] as Ring[number];
      if (ay > y !== by > y && x < ((bx - ax) * (y - ay)) / (by - ay) + ax) inside = !inside;
    }
  return inside;
}

/** The uppermost piece of the list that a place lies in. */
export function pieceAt(order: string[], outlines: Record<string, Ring[]>, at: Spot): string | undefined {
  return [...order].reverse().find((id) => outlines[id] && insideRings(outlines[id], at));
}

/** How a piece lies on the plan of its relief. */
export interface Lying {
  at: Spot;
  angle: number;
  mirror: boolean;
}

/** A place of a piece's own space on the plan. */
export function onPlan({ at, angle, mirror }: Lying, [x, y]: Spot): Spot {
  const c = Math.cos((angle * Math.PI) / 180),
    s = Math.sin((angle * Math.PI) / 180),
    own = mirror ? -x : x;
  return [at[0] + c * own - s * y, at[1] + s * own + c * y];
}

/** A way on the plan in a piece's own space. */
export function inPiece({ angle, mirror }: Lying, [x, y]: Spot): Spot {
  const c = Math.cos((angle * Math.PI) / 180),
    s = Math.sin((angle * Math.PI) / 180),
    own = c * x + s * y;
  return [mirror ? -own : own, -s * x + c * y];
}

export interface RingBox {
  low: Spot;
  high: Spot;
}

/** The box of rings. */
export function boxOf(rings: Ring[] | undefined): RingBox | null {
  const points = rings?.flat() ?? [];
  if (!points.length) return null;
  const xs = points.map((point) => point[0]),
    ys = points.map((point) => point[1]);
  return { low: [Math.min(...xs), Math.min(...ys)], high: [Math.max(...xs), Math.max(...ys)] };
}

/** Points of a line in a picture so wide and tall; both axes at one scale where `tallest` mm of height fit. */
export function sectionLine(along: number[], height: number[], wide: number, tall: number, tallest: number): string {
  const length = along[along.length - 1] || 1;
  return along
    .map((s, k) => `${((s / length) * wide).toFixed(2)},${(tall - ((height[k] ?? 0) / tallest) * tall).toFixed(2)}`)
    .join(" ");
}

/** Where a section runs: through a place along X or Y, from edge to edge of a box with a margin. */
export function sectionEnds(box: RingBox, axis: "x" | "y", at: number, margin = 2): [Spot, Spot] {
  return axis === "x"
    ? [
        [box.low[0] - margin, at],
        [box.high[0] + margin, at],
      ]
    : [
        [at, box.low[1] - margin],
        [at, box.high[1] + margin],
      ];
}

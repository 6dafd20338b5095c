/** Built-up reliefs: reading a preview, finding the piece under a place, and drawing a section. */

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

/** A preview from its bytes: the length of the head, the head as JSON, vertices, faces. */
export function readPreview(data: ArrayBuffer): ReliefPreview {
  const long = new DataView(data).getUint32(0, true);
  const head = JSON.parse(new TextDecoder().decode(new Uint8Array(data, 4, long))) as ReliefHead;
  const first = 4 + long;
  const vertices = new Float32Array(data, first, 3 * head.vertices);
  return { head, vertices, faces: new Uint32Array(data, first + vertices.byteLength, 3 * head.faces) };
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

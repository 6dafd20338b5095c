/** Sections through the block: what is cut away from the picture, and the face that it leaves. */
import type { GridFacts } from "../api/types";

export type Axis = "x" | "y" | "z";
/** `at` is null where nothing is cut away. Cut away is what lies beyond, or before it where `flip` is on; along Z always what lies over it. */
export interface Section {
  axis: Axis;
  at: number | null;
  flip: boolean;
}

export const NO_SECTION: Section = { axis: "x", at: null, flip: false };

/** (a, b, c, d): points with a x + b y + c z > d are not drawn. */
export function planeOf(section: Section): [number, number, number, number] {
  if (section.at === null) return [0, 0, 0, 1];
  const sign = section.flip && section.axis !== "z" ? -1 : 1;
  const direction = { x: [sign, 0, 0], y: [0, sign, 0], z: [0, 0, 1] }[section.axis] as [number, number, number];
  return [...direction, sign * section.at];
}

/** The height that nothing of the block is drawn over. */
export const lidOf = (section: Section): number => (section.axis === "z" && section.at !== null ? section.at : 1e9);

/** Triangles (nine numbers each) of the upright face that a section along X or Y leaves, down to `foot`. */
export function capOf(
  section: Section,
  grid: GridFacts,
  heights: ArrayLike<number>,
  foot: number,
  under: ArrayLike<number> | null = null,
): Float32Array {
  if (section.at === null || section.axis === "z") return new Float32Array(0);
  const along = section.axis === "x";
  const first = along ? grid.x0 : grid.y0,
    count = along ? grid.nx : grid.ny,
    others = along ? grid.ny : grid.nx;
  const k = Math.min(Math.max(Math.round((section.at - first) / grid.pitch), 0), count - 1);
  const found: number[] = [];
  const place = (n: number): [number, number, number] => {
    const h = heights[along ? n * grid.nx + k : k * grid.nx + n] as number;
    const across = (along ? grid.y0 : grid.x0) + n * grid.pitch;
    return along ? [section.at as number, across, h] : [across, section.at as number, h];
  };
  const floor = (n: number) => under?.[along ? n * grid.nx + k : k * grid.nx + n] ?? foot;
  for (let n = 0; n + 1 < others; n++) {
    const a = place(n),
      b = place(n + 1);
    if (a[2] <= foot && b[2] <= foot) continue;
    const p = Math.min(floor(n), a[2]),
      q = Math.min(floor(n + 1), b[2]);
    found.push(a[0], a[1], p, b[0], b[1], q, ...b, a[0], a[1], p, ...b, ...a);
  }
  return Float32Array.from(found);
}

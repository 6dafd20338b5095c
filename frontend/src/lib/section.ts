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

/** The height that a bar (`radius`: its reference radius) has at column `i` in a direction round the axis, 0 at +Z. */
function barTop(grid: GridFacts, heights: ArrayLike<number>, radius: number, i: number, angle: number): number {
  const turn = angle < 0 ? angle + 2 * Math.PI : angle;
  const row = Math.round((turn * radius - grid.y0) / grid.pitch) % grid.ny;
  return heights[row * grid.nx + i] as number;
}

/** Triangles of the face that a section leaves of a bar, whose axis is X: a disc, or a strip along it. */
export function barCapOf(section: Section, grid: GridFacts, heights: ArrayLike<number>, radius: number): Float32Array {
  if (section.at === null) return new Float32Array(0);
  const at = section.at,
    found: number[] = [];
  if (section.axis === "x") {
    const i = Math.min(Math.max(Math.round((at - grid.x0) / grid.pitch), 0), grid.nx - 1);
    const rim = (row: number): [number, number, number] => {
      const r = heights[row * grid.nx + i] as number,
        angle = (grid.y0 + row * grid.pitch) / radius;
      return [at, r * Math.sin(angle), r * Math.cos(angle)];
    };
    for (let row = 0; row < grid.ny; row++) found.push(at, 0, 0, ...rim(row), ...rim((row + 1) % grid.ny));
    return Float32Array.from(found);
  }
  const upright = section.axis === "y",
    half = grid.pitch / 2,
    steps = Math.ceil(radius / grid.pitch);
  const place = (x: number, t: number): [number, number, number] => (upright ? [x, at, t] : [x, t, at]);
  for (let i = 0; i < grid.nx; i++) {
    const x = grid.x0 + i * grid.pitch;
    let begin: number | null = null;
    for (let k = -steps; k <= steps + 1; k++) {
      const t = k * grid.pitch;
      const angle = upright ? Math.atan2(at, t) : Math.atan2(t, at);
      const inside = k <= steps && Math.hypot(at, t) <= barTop(grid, heights, radius, i, angle);
      if (inside) begin ??= t - half;
      else if (begin !== null) {
        const [a, b, c, d] = [
          place(x - half, begin),
          place(x + half, begin),
          place(x + half, t - half),
          place(x - half, t - half),
        ];
        found.push(...a, ...b, ...c, ...a, ...c, ...d);
        begin = null;
      }
    }
  }
  return Float32Array.from(found);
}

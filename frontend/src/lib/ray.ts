/** Where a ray of sight meets the block, which is known as a field of heights. */
import type { GridFacts } from "../api/types";

export type Point = [number, number, number];
export interface Ray {
  origin: Point;
  direction: Point;
}

const along = (ray: Ray, t: number): Point =>
  [0, 1, 2].map((k) => (ray.origin[k] as number) + t * (ray.direction[k] as number)) as Point;

/** The span of `t` in which the ray is inside a box, or null. */
export function spanInBox(ray: Ray, low: Point, high: Point): [number, number] | null {
  let first = 0,
    last = Infinity;
  for (let k = 0; k < 3; k++) {
    const o = ray.origin[k] as number,
      d = ray.direction[k] as number;
    if (Math.abs(d) < 1e-12) {
      if (o < (low[k] as number) || o > (high[k] as number)) return null;
      continue;
    }
    const a = ((low[k] as number) - o) / d,
      b = ((high[k] as number) - o) / d;
    first = Math.max(first, Math.min(a, b));
    last = Math.min(last, Math.max(a, b));
  }
  return first <= last ? [first, last] : null;
}

/** The first point of a ray on a field of heights (row by row, `grid.nx` to a row), whose walls go down to `foot`; null where it misses. */
export function hitHeights(
  ray: Ray,
  grid: GridFacts,
  heights: ArrayLike<number>,
  foot: number,
  top: number,
): Point | null {
  const half = grid.pitch / 2;
  const low: Point = [grid.x0 - half, grid.y0 - half, foot];
  const high: Point = [grid.x0 + (grid.nx - 0.5) * grid.pitch, grid.y0 + (grid.ny - 0.5) * grid.pitch, top + 1e-6];
  const span = spanInBox(ray, low, high);
  if (!span) return null;
  const heightAt = (p: Point) => {
    const i = Math.min(Math.max(Math.round((p[0] - grid.x0) / grid.pitch), 0), grid.nx - 1);
    const j = Math.min(Math.max(Math.round((p[1] - grid.y0) / grid.pitch), 0), grid.ny - 1);
    return heights[j * grid.nx + i] as number;
  };
  const step = half / Math.hypot(...ray.direction);
  let before = span[0];
  for (let t = span[0]; t <= span[1] + step; t += step) {
    const p = along(ray, Math.min(t, span[1]));
    const h = heightAt(p);
    if (h <= foot + 0.005 || p[2] > h) {
      before = t;
      continue;
    }
    if (t === span[0]) return p;
    let out = before,
      inside = Math.min(t, span[1]);
    for (let k = 0; k < 24; k++) {
      const middle = (out + inside) / 2,
        q = along(ray, middle);
      if (q[2] > heightAt(q)) out = middle;
      else inside = middle;
    }
    return along(ray, inside);
  }
  return null;
}

/** What there is to say of the direction from one point to another. */
export function between(a: Point, b: Point): { length: number; by: Point } {
  const by = [0, 1, 2].map((k) => (b[k] as number) - (a[k] as number)) as Point;
  return { length: Math.hypot(...by), by };
}

/** A place of the setup's frame as the machine shows it: from the work zero. */
export const fromZero = (place: Point, zero: Point): Point => [
  place[0] - zero[0],
  place[1] - zero[1],
  place[2] - zero[2],
];

/** Dragging in the view: where a ray of sight comes nearest to a line, or meets a level plane. */
import type { Point, Ray } from "./ray";

const dot = (a: Point, b: Point) => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const minus = (a: Point, b: Point): Point => [a[0] - b[0], a[1] - b[1], a[2] - b[2]];

/** How far along a line (from `origin`, in units of `direction`) it comes nearest to a ray; null where they run side by side. */
export function alongLine(ray: Ray, origin: Point, direction: Point): number | null {
  const w = minus(origin, ray.origin);
  const a = dot(direction, direction),
    b = dot(direction, ray.direction),
    c = dot(ray.direction, ray.direction);
  const d = dot(direction, w),
    e = dot(ray.direction, w);
  const bottom = a * c - b * b;
  return Math.abs(bottom) < 1e-9 * a * c ? null : (b * e - c * d) / bottom;
}

/** Where a ray meets a plane through `origin`; null where it runs along it or away from it. */
export function onPlane(ray: Ray, origin: Point, normal: Point): Point | null {
  const fall = dot(ray.direction, normal);
  if (Math.abs(fall) < 1e-9) return null;
  const t = dot(minus(origin, ray.origin), normal) / fall;
  return t < 0 ? null : ([0, 1, 2].map((k) => (ray.origin[k] as number) + t * (ray.direction[k] as number)) as Point);
}

/** By how many degrees a point was taken round an axis (0 X, 1 Y, 2 Z) through `middle`, at a round number: fives, or ones with `fine`. */
export function turnedBy(from: Point, to: Point, middle: Point, axis: number, fine: boolean): number {
  const [u, v] = [(axis + 1) % 3, (axis + 2) % 3] as [0 | 1 | 2, 0 | 1 | 2];
  const angle = (p: Point) => Math.atan2(p[v] - middle[v], p[u] - middle[u]);
  const step = fine ? 1 : 5;
  const degrees = Math.round(((angle(to) - angle(from)) * 180) / Math.PI / step) * step;
  return ((((degrees + 180) % 360) + 360) % 360) - 180;
}

/** Where a ray meets the level plane at height `z`; null where it runs along it or away from it. */
export function onLevel(ray: Ray, z: number): Point | null {
  if (Math.abs(ray.direction[2]) < 1e-9) return null;
  const t = (z - ray.origin[2]) / ray.direction[2];
  return t < 0 ? null : [ray.origin[0] + t * ray.direction[0], ray.origin[1] + t * ray.direction[1], z];
}

/** A dragged length at a round number of the unit: halves of a millimetre, sixteenths of an inch. */
export function rounded(mm: number, unit: "mm" | "in"): number {
  const step = unit === "in" ? 25.4 / 16 : 0.5;
  return Number((Math.round(mm / step) * step).toFixed(6));
}

/** The nearest of low side, middle and high side. */
export function nearestThird(value: number, low: number, high: number): "low" | "centre" | "high" {
  const share = (value - low) / Math.max(high - low, 1e-9);
  return share < 0.25 ? "low" : share > 0.75 ? "high" : "centre";
}

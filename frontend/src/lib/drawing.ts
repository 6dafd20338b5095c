/** A closed curve that is drawn by clicks, point by point. */
import type { Spot } from "./rims";

export interface Draft {
  points: Spot[];
  closed: boolean;
}

const apart = (a: Spot, b: Spot) => Math.hypot(a[0] - b[0], a[1] - b[1]);

/** The curve after a click: near its first point it is closed, on its last point it stays. `near` is in millimetres. */
export function afterClick(points: Spot[], at: Spot, near: number): Draft {
  const first = points[0],
    last = points[points.length - 1];
  if (first && points.length > 2 && apart(first, at) <= near) return { points, closed: true };
  if (last && apart(last, at) < 1e-3) return { points, closed: false };
  return { points: [...points, at], closed: false };
}

/** The curve after a key: Enter closes it from three points on, Backspace takes the last point back. */
export function afterKey(points: Spot[], key: string): Draft | null {
  if (key === "Enter") return points.length > 2 ? { points, closed: true } : null;
  if (key === "Backspace") return { points: points.slice(0, -1), closed: false };
  return null;
}

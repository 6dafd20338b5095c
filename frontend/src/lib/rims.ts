/** Outer outlines of a boundary, and places on them as shares of their length. */
export type Spot = [number, number];
export type Rim = Spot[];
type Places = [number, number][];

/** Outlines from the points of all, one behind the other, and where each ends. */
export function rimsOf(points: ArrayLike<number>, ends: ArrayLike<bigint>): Rim[] {
  const rims: Rim[] = [];
  let first = 0;
  for (let e = 0; e < ends.length; e++) {
    const last = Number(ends[e]),
      rim: Rim = [];
    for (let k = first; k < last; k++) rim.push([points[2 * k] as number, points[2 * k + 1] as number]);
    rims.push(rim);
    first = last;
  }
  return rims;
}

const gap = (a: Spot, b: Spot) => Math.hypot(b[0] - a[0], b[1] - a[1]);

export const lengthOf = (rim: Rim) => rim.slice(1).reduce((sum, at, k) => sum + gap(rim[k] as Spot, at), 0);

/** The outline nearest to a point, and the share of its length at which it comes nearest. */
export function nearestPlace(rims: Rim[], at: Spot): [number, number] | null {
  let best: [number, number] | null = null,
    least = Infinity;
  rims.forEach((rim, outline) => {
    const total = lengthOf(rim);
    let along = 0;
    for (let k = 0; k + 1 < rim.length; k++) {
      const a = rim[k] as Spot,
        b = rim[k + 1] as Spot,
        step = gap(a, b);
      const t =
        step > 0
          ? Math.min(Math.max(((at[0] - a[0]) * (b[0] - a[0]) + (at[1] - a[1]) * (b[1] - a[1])) / (step * step), 0), 1)
          : 0;
      const off = gap(at, [a[0] + t * (b[0] - a[0]), a[1] + t * (b[1] - a[1])]);
      if (off < least) {
        least = off;
        best = [outline, (along + t * step) / total];
      }
      along += step;
    }
  });
  return best;
}

/** The tabs with one more, in the middle of the widest gap of the longest outline. */
export function sharesAfter(tabs: Places, rims: Rim[]): Places {
  const lengths = rims.map(lengthOf);
  const outline = lengths.indexOf(Math.max(...lengths));
  const shares = tabs
    .filter(([number]) => number === outline)
    .map(([, share]) => share)
    .sort((a, b) => a - b);
  if (shares.length === 0) return [...tabs, [outline, 0]];
  let widest = 0,
    at = 0;
  shares.forEach((share, k) => {
    const next = k + 1 < shares.length ? (shares[k + 1] as number) : (shares[0] as number) + 1;
    if (next - share > widest) {
      widest = next - share;
      at = share + (next - share) / 2;
    }
  });
  return [...tabs, [outline, at % 1]];
}

/** The place of outlines nearest to a point, and the unit vector out of them there; outsides run counterclockwise, holes clockwise. */
export function outwardAt(rims: Rim[], at: Spot): { at: Spot; out: Spot } | null {
  let best: { at: Spot; out: Spot } | null = null,
    least = Infinity;
  for (const rim of rims)
    for (let k = 0; k + 1 < rim.length; k++) {
      const a = rim[k] as Spot,
        b = rim[k + 1] as Spot,
        step = gap(a, b);
      if (step === 0) continue;
      const u: Spot = [(b[0] - a[0]) / step, (b[1] - a[1]) / step];
      const t = Math.min(Math.max((at[0] - a[0]) * u[0] + (at[1] - a[1]) * u[1], 0), step);
      const near: Spot = [a[0] + t * u[0], a[1] + t * u[1]];
      const off = gap(at, near);
      if (off < least) {
        least = off;
        best = { at: near, out: [u[1], -u[0]] };
      }
    }
  return best;
}

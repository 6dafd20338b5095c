/** The block at any moment, looked up in the changes that a worker recorded. */

export interface Frames {
  start: Int32Array;
  moment: Uint16Array;
  height: Float32Array;
  moments: number;
}

/**
 * Heights of the columns after the operations `done` and the share `part` (0 to 1) of the next one.
 * `into` is filled; `full` is the top of the block before the first cut, or that of each column.
 */
export function heightsAt(
  done: readonly Frames[],
  current: Frames | undefined,
  part: number,
  full: number | ArrayLike<number>,
  into: Float32Array,
): void {
  if (typeof full === "number") into.fill(full);
  else into.set(full);
  for (const frames of done) {
    for (let c = 0; c < into.length; c++) {
      const last = frames.start[c + 1] as number;
      if (last > (frames.start[c] as number)) into[c] = frames.height[last - 1] as number;
    }
  }
  if (!current) return;
  const limit = Math.floor(part * current.moments);
  for (let c = 0; c < into.length; c++) {
    let low = current.start[c] as number,
      high = current.start[c + 1] as number;
    const first = low;
    while (low < high) {
      const middle = (low + high) >> 1;
      if ((current.moment[middle] as number) <= limit) low = middle + 1;
      else high = middle;
    }
    if (low > first) into[c] = current.height[low - 1] as number;
  }
}

/** Index of the first number in rising `values` that is larger than `value`. */
export function firstAbove(values: ArrayLike<number>, value: number): number {
  let low = 0,
    high = values.length;
  while (low < high) {
    const middle = (low + high) >> 1;
    if ((values[middle] as number) <= value) low = middle + 1;
    else high = middle;
  }
  return low;
}

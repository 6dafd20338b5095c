/** Counts over a comparison: shares of the area and a histogram, by limits that are chosen. */

export interface Shares {
  within: number;
  reachable: number;
  unreachable: number;
  gouged: number;
}

/** Shares of the compared area: within the limit, more left that could or could not be reached, gouged. */
export function sharesOf(deviation: ArrayLike<number>, reachable: ArrayLike<number>, limit: number): Shares {
  let all = 0,
    within = 0,
    could = 0,
    cannot = 0,
    gouged = 0;
  for (let k = 0; k < deviation.length; k++) {
    const d = deviation[k] as number;
    if (Number.isNaN(d)) continue;
    all++;
    if (Math.abs(d) <= limit) within++;
    else if (d < 0) gouged++;
    else if (reachable[k]) could++;
    else cannot++;
  }
  const share = (count: number) => (all ? count / all : 0);
  return { within: share(within), reachable: share(could), unreachable: share(cannot), gouged: share(gouged) };
}

/** How many columns lie in each of `bins` equal spans from -most to most; what is beyond counts with the outermost. */
export function histogramOf(deviation: ArrayLike<number>, most: number, bins: number): Float64Array {
  const counts = new Float64Array(bins);
  for (let k = 0; k < deviation.length; k++) {
    const d = deviation[k] as number;
    if (Number.isNaN(d)) continue;
    const bin = Math.min(Math.max(Math.floor(((d + most) / (2 * most)) * bins), 0), bins - 1);
    counts[bin] = (counts[bin] as number) + 1;
  }
  return counts;
}

/** For the picture: what is outside is -1000, and what no cutter here reaches is lifted by 500. */
export function pictured(deviation: Float32Array, reachable: Uint8Array | undefined): Float32Array {
  return deviation.map((d, k) => (Number.isNaN(d) ? -1000 : reachable && !reachable[k] ? d + 500 : d));
}

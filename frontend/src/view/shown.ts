/** What the view shows of the block: its heights at a moment, the finest that are known, and how they compare with the model. */
import { useMemo, useRef } from "react";
import { useBlockDetail } from "../api/results";
import type { GridFacts, SetupInfo } from "../api/types";
import { pictured } from "../lib/deviation";
import { heightsAt } from "../lib/frames";
import { columnAt, type Probed } from "../lib/probe";
import type { Point } from "../lib/ray";
import { infoOf, useSheetState } from "../workspace/state";
import type { Deviation } from "./BlockMesh";
import type { OperationData } from "./data";
import type { Moment } from "./moment";

/** Which cells of a grid are the part, from the same known on a finer one of other size over the same ground. */
export function coarsened(fine: ArrayLike<number>, fx: number, fy: number, nx: number, ny: number): Uint8Array {
  const found = new Uint8Array(nx * ny);
  for (let j = 0; j < ny; j++)
    for (let i = 0; i < nx; i++) {
      const fi = Math.min(Math.floor(((i + 0.5) * fx) / nx), fx - 1),
        fj = Math.min(Math.floor(((j + 0.5) * fy) / ny), fy - 1);
      found[j * nx + i] = fine[fj * fx + fi] === 1 ? 1 : 0;
    }
  return found;
}

function keepOnly(heights: Float32Array, kept: Uint8Array, foot: number): void {
  for (let k = 0; k < heights.length; k++) if (!kept[k]) heights[k] = foot;
}

export function useShownBlock(props: {
  list: OperationData[];
  moment: Moment | null;
  top: number;
  foot: number;
  hidden: boolean;
  complete: boolean;
  fineIn: boolean;
  alone: boolean;
}) {
  const { list, moment, top, foot, alone } = props;
  const { derived, external, setupId } = useSheetState();
  const info = external ? undefined : infoOf(derived, setupId);
  const grid = list[0]?.grid;
  const version = useRef(0);
  const heights = useMemo(() => (grid ? new Float32Array(grid.nx * grid.ny) : null), [grid]);
  const atEnd = !moment || (moment.index === list.length - 1 && moment.part >= 0.9999);
  // What setups before have left, where there are some.
  const partial = info?.summary?.partial ? (info.summary_key ?? undefined) : undefined;
  const { data: first } = useBlockDetail<Float32Array>(partial, "first");
  const { data: under } = useBlockDetail<Float32Array>(partial, "under");
  const fits = first && heights && first.data.length === heights.length;
  const start = fits ? first.data : top;
  const { data: sorting } = useBlockDetail<Uint8Array>(
    props.fineIn ? (info?.pieces_key ?? undefined) : undefined,
    "sorting",
  );
  const kept = useMemo(
    () =>
      sorting && grid
        ? coarsened(sorting.data, sorting.shape[1] as number, sorting.shape[0] as number, grid.nx, grid.ny)
        : null,
    [sorting, grid],
  );
  const canStand = useMemo(() => Boolean(sorting?.data.includes(1)), [sorting]);
  // What the heights were filled for: the same again needs no work and no new texture.
  const filled = useRef<unknown[]>([]);
  const wanted = [list, atEnd ? null : moment, start, alone && kept];
  if (heights && grid && !props.hidden && wanted.some((item, k) => item !== filled.current[k])) {
    if (atEnd || !moment)
      heightsAt(
        list.map((item) => item.frames),
        undefined,
        0,
        start,
        heights,
      );
    else
      heightsAt(
        list.slice(0, moment.index).map((item) => item.frames),
        moment.data.frames,
        moment.part,
        start,
        heights,
      );
    if (alone && kept) keepOnly(heights, kept, foot);
    filled.current = wanted;
    version.current++;
  }
  const useFine = props.fineIn && atEnd && props.complete && !external;
  const { data: detail } = useBlockDetail(useFine ? info?.summary?.block_key : undefined, "high");
  const fine = useMemo(() => {
    if (!useFine || !detail) return null;
    // Of several intervals in a column the highest one that is left is seen.
    const size = (detail.shape[1] as number) * (detail.shape[2] as number);
    const highest = (detail.shape[0] as number) > 1 ? new Float32Array(size).fill(foot) : detail.data;
    if (highest !== detail.data)
      detail.data.forEach((height, k) => {
        const column = k % size;
        if (height > (highest[column] as number)) highest[column] = height;
      });
    const data = alone && sorting ? highest.map((height, k) => (sorting.data[k] === 1 ? height : foot)) : highest;
    return { data, nx: detail.shape[2] as number, ny: detail.shape[1] as number };
  }, [useFine, detail, alone, sorting, foot]);
  return { grid, heights, atEnd, fine, version: version.current, canStand, under: fits ? (under?.data ?? null) : null };
}

export function useShownDeviation(info: SetupInfo | undefined, limit: number, most: number) {
  const key = info?.compare_key ?? undefined;
  const { data: deviation } = useBlockDetail(key, "deviation");
  const { data: reachable } = useBlockDetail<Uint8Array>(key, "reachable");
  const { data: under } = useBlockDetail(key, "under");
  const grid: GridFacts | undefined = info?.summary?.compare_grid;
  const shown = useMemo(() => (deviation ? pictured(deviation.data, reachable?.data) : null), [deviation, reachable]);
  const picture: Deviation | null = useMemo(
    () => (shown && deviation && grid ? { data: shown, shape: deviation.shape, grid, limit, most } : null),
    [shown, deviation, grid, limit, most],
  );
  const at = (point: Point, cut: Probed["cut"]): Probed => {
    const column = grid ? columnAt(grid, point[0], point[1]) : null;
    const d = column === null ? undefined : deviation?.data[column];
    return {
      x: point[0],
      y: point[1],
      block: point[2],
      model: column === null ? null : (under?.data[column] ?? null),
      deviation: d === undefined || Number.isNaN(d) ? null : d,
      reachable: column !== null && reachable?.data[column] === 1,
      cut,
    };
  };
  return { picture, deviation: deviation?.data, reachable: reachable?.data, at };
}

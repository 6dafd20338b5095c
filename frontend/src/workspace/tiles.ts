/** Setups that are cut in tiles: each tile has an answer of its own, and the sheet shows them together. */
import type { Derived, OperationInfo, SetupInfo, Tiles } from "../api/types";

/** The tiles and strips of a setup in the order of cutting; the setup itself where it has none. */
export const partsOf = (derived: Derived, id: string): SetupInfo[] =>
  derived.setups.filter((info) => info.whole === id);

/** Seconds of a setup over all its tiles. */
export const totalOf = (parts: SetupInfo[]): number => parts.reduce((sum, info) => sum + info.time.total, 0);

/** One operation over all tiles: its costs together, and the state of the tile that is least far. */
export function joinedOperation(parts: SetupInfo[], number: number): OperationInfo | undefined {
  const found = parts.flatMap((info) => info.operations.filter((item) => item.number === number));
  const first = found[0];
  if (!first || found.length === 1) return first;
  const late = found.find((item) => item.state !== "current") ?? first;
  const estimate = first.all_tiles ?? first.estimate;
  const share = estimate && first.estimate?.seconds ? estimate.seconds / first.estimate.seconds : 1;
  return {
    ...late,
    moves: null,
    estimate,
    curve: first.curve.map(([at, cost]): [number, number] => [at, cost * share]),
    seconds: found.every((item) => typeof item.seconds === "number")
      ? found.reduce((sum, item) => sum + (item.seconds ?? 0), 0)
      : null,
  };
}

/** What a tile is called: its number, or the strip beside a seam. */
export const partTitle = (info: SetupInfo): string =>
  !info.tile ? "" : info.tile.strip ? `Strip in tile ${info.tile.number}` : `Tile ${info.tile.number}`;

/** A tile in the run strip. */
export const shortTitle = (info: SetupInfo): string =>
  !info.tile
    ? info.id.toUpperCase()
    : `${info.whole.toUpperCase()}${info.tile.number}${info.tile.strip ? " strip" : ""}`;

/** Calculated, or how far. */
export function partState(info: SetupInfo): string {
  const on = info.operations.filter((item) => item.state !== "off");
  if (info.programs) return "current";
  const blocked = on.find((item) => item.state === "blocked");
  if (blocked) return "blocked";
  const done = on.filter((item) => item.state === "current").length;
  return done ? `${done} of ${on.length} current` : "out of date";
}

/** The axis that most of the board is divided along. */
export const axisOf = (tiles: Tiles): "x" | "y" => ((tiles.seams_x ?? []).length ? "x" : "y");

/** The number of the seam that a slide goes over, along the only axis with seams; none with seams along both. */
export function seamOfSlide(tiles: Tiles, tile: number): number | null {
  const [along, across] = [tiles.seams_x ?? [], tiles.seams_y ?? []];
  if (along.length && across.length) return null;
  const count = Math.max(along.length, across.length);
  const seam = tiles.order === "backward" ? count - tile + 2 : tile - 1;
  return seam >= 1 && seam <= count ? seam : null;
}

/** The cost of seams along the board as the points of a line, `width` by `height`; plain ground lies at the bottom. */
export function costLine(at: number[], cost: number[], length: number, width: number, height: number): string {
  const most = Math.max(...cost, 0.1);
  return at
    .map((x, k) => `${((x / length) * width).toFixed(1)},${(height - ((cost[k] ?? 0) / most) * height).toFixed(1)}`)
    .join(" ");
}

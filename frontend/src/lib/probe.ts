/** What is known of one column of the block. */
import type { GridFacts } from "../api/types";
import type { Frames } from "./frames";
import type { Point } from "./ray";
import { clock, lengthText, type LengthKind, type Unit } from "./numbers";

/** The column of a grid nearest to a place on the plan, or null beside it. */
export function columnAt(grid: GridFacts, x: number, y: number): number | null {
  const i = Math.round((x - grid.x0) / grid.pitch),
    j = Math.round((y - grid.y0) / grid.pitch);
  return i < 0 || j < 0 || i >= grid.nx || j >= grid.ny ? null : j * grid.nx + i;
}

/** Which operation cut a column last, and when, in seconds from the start; null where none did. */
export function lastCut(
  list: readonly { number: number; seconds: number; frames: Frames }[],
  column: number,
): { number: number; time: number } | null {
  let before = list.reduce((sum, item) => sum + item.seconds, 0);
  for (const item of [...list].reverse()) {
    before -= item.seconds;
    const end = item.frames.start[column + 1] as number;
    if (end > (item.frames.start[column] as number))
      return {
        number: item.number,
        time: before + ((item.frames.moment[end - 1] as number) / item.frames.moments) * item.seconds,
      };
  }
  return null;
}

export interface Probed {
  x: number;
  y: number;
  block: number;
  model: number | null;
  deviation: number | null;
  reachable: boolean;
  cut: { number: number; time: number } | null;
}

/** The column in words; places count from the work `zero`. */
export function probeText(p: Probed, unit: Unit, zero: Point): string[] {
  const say = (value: number, kind: LengthKind = "fine") => lengthText(value, unit, kind);
  const lines = [
    `X ${say(p.x - zero[0], "measured")}  Y ${say(p.y - zero[1], "measured")}  Z ${say(p.block - zero[2])}`,
  ];
  if (p.model === null || p.deviation === null) lines.push("outside of what is compared");
  else {
    lines.push(`model at Z ${say(p.model - zero[2])}`);
    lines.push(
      p.deviation < 0
        ? `gouged ${say(-p.deviation)} ${unit}`
        : `${say(p.deviation)} ${unit} left${p.reachable ? "" : ", no cutter here reaches it"}`,
    );
  }
  lines.push(p.cut ? `cut last by ${p.cut.number} at ${clock(p.cut.time)}` : "not cut");
  return lines;
}

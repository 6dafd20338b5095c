/** A moment of the program: which operation, which move, where the cutter is. */
import { firstAbove } from "../lib/frames";
import type { OperationData } from "./data";

export interface Moment {
  index: number;
  data: OperationData;
  move: number;
  part: number;
  at: [number, number, number];
  feed: number;
  kind: number;
}

export const KINDS = ["positioning", "cutting", "entry", "link"] as const;

/** What happens `time` seconds after the start; the last moment for anything later. */
export function momentAt(list: OperationData[], time: number): Moment | null {
  let before = 0;
  for (const [index, data] of list.entries()) {
    if (time <= before + data.seconds || index === list.length - 1) {
      const local = Math.min(Math.max(time - before, 0), data.seconds);
      const move = Math.min(firstAbove(data.ends, local), data.kinds.length - 1);
      const start = move > 0 ? (data.ends[move - 1] as number) : 0,
        end = data.ends[move] as number;
      const share = end > start ? Math.min((local - start) / (end - start), 1) : 1;
      const at = [0, 1, 2].map((axis) => {
        const a = data.points[3 * move + axis] as number,
          b = data.points[3 * move + 3 + axis] as number;
        return Number.isNaN(a) ? b : a + (b - a) * share;
      }) as [number, number, number];
      return {
        index,
        data,
        move,
        part: data.seconds > 0 ? local / data.seconds : 1,
        at,
        feed: data.feeds[move] as number,
        kind: data.kinds[move] as number,
      };
    }
    before += data.seconds;
  }
  return null;
}

import { describe, expect, it } from "vitest";
import { columnAt, lastCut, probeText } from "./probe";

const grid = { x0: 0, y0: 0, pitch: 0.5, nx: 4, ny: 3 };
const frames = (moments: number[][]) => ({
  start: Int32Array.from(moments.reduce((sum, item) => [...sum, (sum[sum.length - 1] as number) + item.length], [0])),
  moment: Uint16Array.from(moments.flat()),
  height: new Float32Array(moments.flat().length),
  moments: 100,
});

describe("a probed column", () => {
  it("is the nearest one, and none beside the block", () => {
    expect(columnAt(grid, 1.1, 0.6)).toBe(4 + 2);
    expect(columnAt(grid, 1.8, 0)).toBeNull();
    expect(columnAt(grid, 0, -0.3)).toBeNull();
  });
  it("tells which operation cut it last, and when", () => {
    const list = [
      { number: 10, seconds: 100, frames: frames([[10, 50], [20]]) },
      { number: 20, seconds: 50, frames: frames([[], [40]]) },
    ];
    expect(lastCut(list, 0)).toEqual({ number: 10, time: 50 });
    expect(lastCut(list, 1)).toEqual({ number: 20, time: 120 });
    expect(lastCut([{ number: 10, seconds: 5, frames: frames([[], []]) }], 0)).toBeNull();
  });
  it("says what is left, or gouged, and whether a cutter reaches it", () => {
    const base = { x: 1, y: 2, block: -3, model: -3.25, deviation: 0.25, reachable: false, cut: null };
    expect(probeText(base, "mm", [0, 0, 0])).toEqual([
      "X 1  Y 2  Z -3",
      "model at Z -3.25",
      "0.25 mm left, no cutter here reaches it",
      "not cut",
    ]);
    expect(probeText({ ...base, deviation: -0.1, cut: { number: 30, time: 65 } }, "mm", [0, 0, 0])[2]).toBe(
      "gouged 0.1 mm",
    );
    expect(probeText({ ...base, deviation: null }, "mm", [0, 0, 0])[1]).toBe("outside of what is compared");
  });
});

import { describe, expect, it } from "vitest";
import { endedBy, lensOf } from "./closeLook";

describe("a close look", () => {
  it("is taken after the operations that have ended by then", () => {
    const list = [1, 2, 3];
    expect(endedBy(list, null)).toBe(3);
    expect(endedBy(list, { index: 1, part: 0.4 })).toBe(1);
    expect(endedBy(list, { index: 1, part: 1 })).toBe(2);
  });

  it("after the first one at least, as before there is nothing to see", () => {
    expect(endedBy([1, 2], { index: 0, part: 0.2 })).toBe(1);
    expect(endedBy([], null)).toBe(1);
  });

  it("covers its columns and half a column round them", () => {
    expect(lensOf({ grid: { x0: 10.5, y0: 20.5, pitch: 1, nx: 4, ny: 3 } as never, data: new Float32Array() })).toEqual(
      [10, 20, 14, 23],
    );
  });
});

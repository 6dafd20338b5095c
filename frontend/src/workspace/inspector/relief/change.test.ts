import { describe, expect, it } from "vitest";
import { bare, heightsOf, part } from "./change";

describe("changing a piece", () => {
  it("reads the heights of a drawn section", () => {
    expect(heightsOf("0 0.5 1 0.5 0")).toEqual([0, 0.5, 1, 0.5, 0]);
    expect(heightsOf("0; 1; 0")).toEqual([0, 1, 0]);
    expect(heightsOf("0 2")).toBeNull();
    expect(heightsOf("1")).toBeNull();
    expect(heightsOf("a b")).toBeNull();
  });
  it("changes some values and keeps the others", () => {
    expect(part({ kind: "circle", diameter: 5 }, { diameter: 6 })).toEqual({ kind: "circle", diameter: 6 });
    expect(bare("slant")).toEqual({ kind: "slant" });
  });
});

import { describe, expect, it } from "vitest";
import { freedAt } from "./ProofPanel";
import { coarsened } from "./shown";

describe("the part on a coarser grid", () => {
  it("is what lies in the middle of each cell", () => {
    const fine = [1, 1, 0, 0, 1, 1, 0, 2];
    expect([...coarsened(fine, 4, 2, 2, 1)]).toEqual([1, 0]);
    expect([...coarsened(fine, 4, 2, 4, 2)]).toEqual([1, 1, 0, 0, 1, 1, 0, 0]);
  });
});

describe("when a piece came free", () => {
  it("counts from the start of the program", () => {
    const piece = { kind: "free", volume: 1, place: [0, 0, 0], freed_by: 20, freed: 0.5 } as Parameters<
      typeof freedAt
    >[0];
    const operations = [
      { number: 10, seconds: 100 },
      { number: 20, seconds: 40 },
    ];
    expect(freedAt(piece, operations)).toBe(120);
    expect(freedAt({ ...piece, freed_by: null }, operations)).toBeNull();
    expect(freedAt({ ...piece, freed_by: 99 }, operations)).toBeNull();
  });
});

import { expect, it } from "vitest";
import type { MeshFacts } from "../../api/types";
import { factLines, lengthScale, proposedLength, saidIn } from "./MeshCare";

const facts: MeshFacts = {
  format: "STL",
  triangles: 12,
  vertices: 8,
  size: [200, 100, 20],
  watertight: true,
  shells: 1,
  holes: 0,
  flipped: 0,
  inside_out: 0,
  without_area: 0,
  duplicates: 0,
  nonmanifold: 0,
  largest_hole: 0,
  smallest_shell: 12,
  repairs: [],
  said: [],
  unit: { name: "mm", mm: 1, sure: false },
};

it("tells faults only where there are any, and offers to show those that have a place", () => {
  expect(factLines(facts).map((line) => line.label)).toEqual(["triangles", "shells", "holes"]);
  expect(factLines(facts).every((line) => line.fault === undefined)).toBe(true);
  const bad = factLines({ ...facts, shells: 4, holes: 2, flipped: 7, duplicates: 1 });
  expect(bad.map((line) => line.fault)).toEqual([undefined, "loose", "holes", "flipped", undefined]);
});

it("proposes lengths that fit the mesh, whatever its unit", () => {
  expect(proposedLength("close_holes", "size", 10, { ...facts, largest_hole: 8 })).toBeCloseTo(8.08);
  expect(proposedLength("close_holes", "size", 10, { ...facts, size: [0.2, 0.1, 0.02] })).toBeCloseTo(0.02);
  expect(proposedLength("drop_shells", "size", 5, facts)).toBe(10);
});

it("takes lengths of the part as they are, and those of the file as what their unit stands for", () => {
  expect(lengthScale("part", 25.4)).toBe(1);
  expect(lengthScale("file", 25.4)).toBe(25.4);
  expect(lengthScale(undefined, 25.4)).toBe(1);
});

it("says the lengths of a repair as they will be cut", () => {
  expect(saidIn("thinned; the surface moved {0.02} at most", 25.4, "mm")).toBe(
    "thinned; the surface moved 0.508 mm at most",
  );
  expect(saidIn("a wall of {3 mm}; a piece of {2}", 25.4, "mm")).toBe("a wall of 3 mm; a piece of 50.8 mm");
  expect(saidIn("a wall of {25.4 mm}", 10, "in")).toBe("a wall of 1 in");
  expect(saidIn("a base {2} below its lowest point", 25.4, "in")).toBe("a base 2 in below its lowest point");
});

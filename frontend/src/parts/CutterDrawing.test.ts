import { expect, it } from "vitest";
import { sectionPath, shownHeight, type Section } from "./CutterDrawing";

const section: Section = [
  [0, 0],
  [3, 0],
  [3, 18],
  [2, 18],
  [2, 50],
  [0, 50],
];

it("draws the section with its mirror image, cut off at a height", () => {
  expect(sectionPath(section, 50).startsWith("M 0 0 L 3 0 L 3 -18 L 2 -18 L 2 -50")).toBe(true);
  expect(sectionPath(section, 30)).toContain("L 2 -30 L -2 -30");
  expect(shownHeight(section, 18, 6)).toBeCloseTo(39);
  expect(
    shownHeight(
      [
        [0, 0],
        [3, 0],
        [3, 18],
        [2, 18],
        [2, 25],
        [11, 25],
        [11, 43],
        [0, 43],
      ],
      18,
      6,
    ),
  ).toBeCloseTo(25);
});

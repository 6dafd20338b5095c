import { describe, expect, it } from "vitest";
import { displaced, enlargement } from "./registration";

describe("a registration error in the view", () => {
  it("is enlarged by a round factor until it can be seen, and never made smaller", () => {
    expect(enlargement(0.1, 100)).toBe(20);
    expect(enlargement(0.05, 100)).toBe(50);
    expect(enlargement(9, 100)).toBe(1);
  });
  it("moves and turns the outline about the middle of the stock", () => {
    const moved = displaced([10, 0], [0, 0], { dx: 0.1, dy: -0.2, rotation: 0 }, 10);
    expect(moved[0]).toBeCloseTo(11);
    expect(moved[1]).toBeCloseTo(-2);
    const turned = displaced([15, 5], [5, 5], { dx: 0, dy: 0, rotation: 9 }, 10);
    expect(turned[0]).toBeCloseTo(5);
    expect(turned[1]).toBeCloseTo(15);
  });
});

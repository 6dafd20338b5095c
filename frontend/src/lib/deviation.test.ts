import { describe, expect, it } from "vitest";
import { histogramOf, pictured, sharesOf } from "./deviation";

const deviation = Float32Array.from([0, 0.01, -0.01, 0.5, 0.5, -0.2, NaN, NaN]);
const reachable = Uint8Array.from([1, 1, 1, 1, 0, 1, 1, 1]);

describe("shares of a comparison", () => {
  it("count what lies within the chosen limit, and split what is left", () => {
    const shares = sharesOf(deviation, reachable, 0.02);
    expect(shares.within).toBeCloseTo(3 / 6);
    expect(shares.reachable).toBeCloseTo(1 / 6);
    expect(shares.unreachable).toBeCloseTo(1 / 6);
    expect(shares.gouged).toBeCloseTo(1 / 6);
    expect(sharesOf(deviation, reachable, 1).within).toBe(1);
  });
  it("are nothing of nothing", () => {
    expect(sharesOf(Float32Array.from([NaN]), reachable, 0.1).within).toBe(0);
  });
});

describe("the histogram", () => {
  it("puts what lies beyond its ends into the outermost spans", () => {
    expect([...histogramOf(deviation, 0.1, 4)]).toEqual([1, 1, 2, 2]);
  });
});

describe("the picture of a comparison", () => {
  it("marks what is outside and what no cutter reaches", () => {
    const shown = [...pictured(deviation, reachable)];
    [0, 0.01, -0.01, 0.5, 500.5, -0.2, -1000, -1000].forEach((d, k) => expect(shown[k]).toBeCloseTo(d, 4));
  });
});

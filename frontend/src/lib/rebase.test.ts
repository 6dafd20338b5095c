import { describe, expect, it } from "vitest";
import { rebased, same } from "./rebase";

const operation = (number: number, stepover = 1) => ({ number, settings: { stepover } });
const base = {
  units: "mm",
  stock: { length: 100, width: 50 },
  setups: [
    {
      id: "a",
      name: "Top",
      zero: { x: "low", at: null as number[] | null },
      operations: [operation(10), operation(20)],
    },
  ],
};
type Plan = typeof base;
const copy = (): Plan => structuredClone(base);
const setup = (plan: Plan) => plan.setups[0] as Plan["setups"][number];

describe("a change carried over to another state", () => {
  it("keeps what both changed in different places", () => {
    const mine = copy(),
      theirs = copy();
    setup(mine).operations[0] = operation(10, 2);
    setup(theirs).operations[1] = operation(20, 3);
    theirs.stock.length = 120;
    const both = rebased(base, mine, theirs);
    expect(setup(both).operations).toEqual([operation(10, 2), operation(20, 3)]);
    expect(both.stock).toEqual({ length: 120, width: 50 });
  });
  it("is the later one where both changed the same number", () => {
    const mine = copy(),
      theirs = copy();
    mine.stock.width = 60;
    theirs.stock.width = 70;
    expect(rebased(base, mine, theirs).stock.width).toBe(60);
  });
  it("adds to what was added meanwhile, and deletes what was deleted", () => {
    const mine = copy(),
      theirs = copy();
    setup(mine).operations.push(operation(30));
    theirs.setups.push({ ...setup(base), id: "b", operations: [operation(40)] });
    setup(theirs).operations.shift();
    const both = rebased(base, mine, theirs);
    expect(both.setups.map((item) => item.id)).toEqual(["a", "b"]);
    expect(setup(both).operations.map((item) => item.number)).toEqual([20, 30]);
    const less = copy();
    setup(less).operations.pop();
    expect(setup(rebased(base, less, mine)).operations.map((item) => item.number)).toEqual([10, 30]);
  });
  it("keeps an entry that was changed here and deleted there", () => {
    const mine = copy(),
      theirs = copy();
    setup(mine).operations[0] = operation(10, 5);
    setup(theirs).operations.shift();
    expect(setup(rebased(base, mine, theirs)).operations.map((item) => item.number)).toEqual([10, 20]);
  });
  it("keeps the order that was changed", () => {
    const mine = copy(),
      theirs = copy();
    setup(mine).operations.reverse();
    theirs.units = "in";
    const both = rebased(base, mine, theirs);
    expect(setup(both).operations.map((item) => item.number)).toEqual([20, 10]);
    expect(both.units).toBe("in");
  });
  it("takes lists of numbers whole", () => {
    const mine = copy(),
      theirs = copy();
    setup(mine).zero.at = [1, 2, 3];
    setup(theirs).name = "Upper";
    const both = rebased(base, mine, theirs);
    expect(setup(both).zero.at).toEqual([1, 2, 3]);
    expect(setup(both).name).toBe("Upper");
  });
  it("changes nothing where nothing was changed", () => {
    const theirs = copy();
    theirs.stock.length = 7;
    expect(rebased(base, copy(), theirs)).toEqual(theirs);
    expect(same(base, copy())).toBe(true);
    expect(same(base, theirs)).toBe(false);
  });
});

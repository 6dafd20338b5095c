import { expect, test } from "vitest";
import type { Derived, OperationInfo, SetupInfo, Tiles } from "../api/types";
import { costLine, joinedOperation, partsOf, partState, partTitle, seamOfSlide, shortTitle, totalOf } from "./tiles";

const operation = (change: Partial<OperationInfo>): OperationInfo =>
  ({ number: 10, state: "current", seconds: 60, curve: [], ...change }) as OperationInfo;
const tile = (number: number, change: Partial<SetupInfo> = {}): SetupInfo =>
  ({
    id: `a.${number}`,
    whole: "a",
    tile: { of: "a", number, count: 2, strip: false },
    time: { total: 100 },
    programs: [],
    operations: [operation({})],
    ...change,
  }) as unknown as SetupInfo;

test("an operation takes as long as in all tiles together", () => {
  expect(joinedOperation([tile(1), tile(2)], 10)?.seconds).toBe(120);
  expect(totalOf([tile(1), tile(2)])).toBe(200);
});

test("an operation is out of date while it is in one tile", () => {
  const late = tile(2, { operations: [operation({ state: "out of date", seconds: null })], programs: null });
  const joined = joinedOperation([tile(1), late], 10);
  expect(joined?.state).toBe("out of date");
  expect(joined?.seconds).toBeNull();
  expect(partState(late)).toBe("out of date");
  expect(partState(tile(1))).toBe("current");
});

test("estimates of tiles are shown for the whole board", () => {
  const part = operation({
    estimate: { seconds: 30, lines: 4, layers: 1, scallop: null },
    all_tiles: { seconds: 90, lines: 4, layers: 1, scallop: null },
    curve: [[1, 10]],
  });
  const joined = joinedOperation([tile(1, { operations: [part] }), tile(2, { operations: [part] })], 10);
  expect(joined?.estimate?.seconds).toBe(90);
  expect(joined?.curve).toEqual([[1, 30]]);
});

test("tiles of a setup are found by the setup", () => {
  const derived = { setups: [tile(1), tile(2), { id: "b", whole: "b", tile: null }] } as unknown as Derived;
  expect(partsOf(derived, "a")).toHaveLength(2);
  expect(partTitle(tile(2))).toBe("Tile 2");
  expect(shortTitle(tile(2))).toBe("A2");
});

test("a slide goes over the seam between its tiles", () => {
  expect(seamOfSlide({ seams_x: [10, 20] } as Tiles, 2)).toBe(1);
  expect(seamOfSlide({ seams_x: [10, 20], order: "backward" } as Tiles, 2)).toBe(2);
  expect(seamOfSlide({ seams_x: [10], seams_y: [5] } as Tiles, 2)).toBeNull();
});

test("plain ground lies at the bottom of the cost line", () => {
  expect(costLine([0, 50, 100], [0, 1, 0.5], 100, 200, 40)).toBe("0.0,40.0 100.0,0.0 200.0,20.0");
});

import { describe, expect, it } from "vitest";
import { firstAbove, heightsAt, type Frames } from "./frames";

const op = (columns: [number, number][][], moments = 100): Frames => {
  const start = [0];
  for (const events of columns) start.push((start.at(-1) as number) + events.length);
  const flat = columns.flat();
  return {
    start: Int32Array.from(start),
    moment: Uint16Array.from(flat.map((e) => e[0])),
    height: Float32Array.from(flat.map((e) => e[1])),
    moments,
  };
};

describe("the block at a moment", () => {
  it("begins with what setups before have left", () => {
    const into = new Float32Array(2);
    heightsAt([op([[], [[10, 3]]])], undefined, 0, Float32Array.from([7, 8]), into);
    expect([...into]).toEqual([7, 3]);
  });
  const rough = op([
    [
      [10, 5],
      [50, 3],
    ],
    [],
  ]);
  const finish = op([[[20, 2]], [[80, 1]]]);
  const at = (done: Frames[], current: Frames | undefined, part: number) => {
    const into = new Float32Array(2);
    heightsAt(done, current, part, 9, into);
    return [...into];
  };
  it("is full before the first cut", () => expect(at([], rough, 0)).toEqual([9, 9]));
  it("takes the last change up to the moment", () => {
    expect(at([], rough, 0.1)).toEqual([5, 9]);
    expect(at([], rough, 0.49)).toEqual([5, 9]);
    expect(at([], rough, 1)).toEqual([3, 9]);
  });
  it("keeps what earlier operations cut", () => expect(at([rough], finish, 0.5)).toEqual([2, 9]));
  it("is the same forwards and back", () => expect(at([rough, finish], undefined, 0)).toEqual(at([rough], finish, 1)));
});

it("finds the move at a time", () => {
  expect(firstAbove([1, 2, 4], 0)).toBe(0);
  expect(firstAbove([1, 2, 4], 2)).toBe(2);
  expect(firstAbove([1, 2, 4], 9)).toBe(3);
});

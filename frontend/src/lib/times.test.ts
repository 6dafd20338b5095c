import { describe, expect, it } from "vitest";
import { inAllText, readDuration, realTime, totalText } from "./times";

describe("durations as they are typed", () => {
  it("are minutes, or hours and minutes, or with seconds", () => {
    expect(readDuration("95")).toBe(5700);
    expect(readDuration("1:35")).toBe(5700);
    expect(readDuration(" 1:35:20 ")).toBe(5720);
  });
  it("are nothing where they are no time", () => {
    for (const text of ["", "0", "abc", "1:2:3:4", "-5", "0:00"]) expect(readDuration(text)).toBeNull();
  });
});

describe("what real runs make of a calculated time", () => {
  it("is said with its spread where there are several", () => {
    expect(realTime({ total: 3600, factor: 1.1, low: 1.05, high: 1.2, entries: 3 })).toBe(
      "≈ 1:06:00, 1:03:00 to 1:12:00",
    );
    expect(realTime({ total: 600, factor: 1.5, low: 1.5, high: 1.5, entries: 1 })).toBe("≈ 15:00");
    expect(realTime({ total: 600, factor: 1, low: 1, high: 1, entries: 0 })).toBe("");
  });
});

describe("the time in all", () => {
  const time = { moves: 6033, changes: 180, waits: 12, total: 6225 };
  it("is said beside that of the moves where tool changes add to it", () => {
    expect(inAllText(time, 6033)).toBe(" · 1:43:45 in all");
    expect(inAllText({ ...time, changes: 0, waits: 0, total: 6033 }, 6033)).toBe("");
  });
  it("names its parts", () => {
    expect(totalText(time)).toContain("tool changes 3:00");
  });
});

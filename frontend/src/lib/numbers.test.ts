import { describe, expect, it } from "vitest";
import { clock, countText, areaText, feedText, lengthText, parseNumber } from "./numbers";

describe("numbers as they are typed", () => {
  it("takes arithmetic, fractions and units", () => {
    expect(parseNumber("2*12.5", "mm")).toBe(25);
    expect(parseNumber("3/8in", "mm")).toBeCloseTo(9.525);
    expect(parseNumber("1 + (2 - 0,5)", "mm")).toBe(2.5);
    expect(parseNumber("-4", "mm")).toBe(-4);
    expect(parseNumber('1/2"', "mm")).toBeCloseTo(12.7);
    expect(parseNumber("2", "in")).toBeCloseTo(50.8);
    expect(parseNumber("10mm", "in")).toBe(10);
    expect(parseNumber("1 3/8 in", "mm")).toBeCloseTo(34.925);
    expect(parseNumber("2 1/2 + 1/4", "in")).toBeCloseTo(2.75 * 25.4);
  });
  it("refuses what is no number", () => {
    for (const text of ["", "abc", "1/0", "2*(3", "3 kg", "1..2", "1 3"])
      expect(() => parseNumber(text, "mm")).toThrow();
  });
  it("takes no unit where there is none", () => {
    expect(parseNumber("18000", null)).toBe(18000);
    expect(() => parseNumber("3mm", null)).toThrow();
  });
});

describe("numbers for show", () => {
  it("shows lengths in the job's unit", () => {
    expect(lengthText(25.4, "in")).toBe("1");
    expect(lengthText(0.30000001, "mm")).toBe("0.3");
  });
  it("have as many decimals as their kind of number is worth, the same wherever they are shown", () => {
    expect(lengthText(260, "in")).toBe("10.2362");
    expect(lengthText(259.994, "in", "measured")).toBe("10.236");
    expect(lengthText(259.994, "mm", "measured")).toBe("259.99");
    expect(lengthText(0.0123, "in", "fine")).toBe("0.0005");
    expect(lengthText(800, "in", "round")).toBe("31.5");
  });
  it("shows times and counts", () => {
    expect(clock(4460)).toBe("1:14:20");
    expect(clock(59.6)).toBe("1:00");
    expect(countText(411342)).toBe("411 k");
    expect(countText(1644800)).toBe("1.6 M");
  });
});

it("shows feeds and areas in the job's unit", () => {
  expect(feedText(1800, "mm")).toBe("1800");
  expect(feedText(1800, "in")).toBe("70.87");
  expect(areaText(12904, "in")).toBe("20 in²");
});

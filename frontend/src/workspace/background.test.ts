import { describe, expect, it } from "vitest";
import type { Calculation, Job } from "../api/types";
import { isUseless, isWaiting } from "./background";

const job = (change: object = {}, info: object = {}) =>
  ({
    revision: 3,
    version: 4,
    plan: { setups: [{ id: "a", operations: [{ on: true }] }] },
    derived: {
      findings: [],
      setups: [{ id: "a", whole: "a", programs: null, operations: [{ state: "out of date" }], ...info }],
      ...change,
    },
  }) as unknown as Job;
const calculation = (state: string, revision: number) => ({ state, revision }) as Calculation;

describe("calculating automatically", () => {
  it("waits for what could be worked out and has not been", () => {
    expect(isWaiting(job(), null)).toBe(true);
    expect(isWaiting(job(), calculation("done", 2))).toBe(true);
  });
  it("waits for the whole part too, where several setups leave it", () => {
    expect(isWaiting(job({ joined: true, whole: null }, { programs: [] }), null)).toBe(true);
    expect(isWaiting(job({ joined: true, whole: {} }, { programs: [] }), null)).toBe(false);
  });
  it("leaves alone what is done, at work, or was given up", () => {
    expect(isWaiting(job({}, { programs: [] }), null)).toBe(false);
    expect(isWaiting(job(), calculation("working", 3))).toBe(false);
    expect(isWaiting(job(), calculation("failed", 3))).toBe(false);
    expect(isWaiting(job(), calculation("cancelled", 3))).toBe(false);
  });
  it("does not start on a stop, unless somebody took it upon himself", () => {
    const stop = { level: "stop", overridden: "" };
    expect(isWaiting(job({ findings: [stop] }), null)).toBe(false);
    expect(isWaiting(job({ findings: [{ ...stop, overridden: "held by wax" }] }), null)).toBe(true);
    expect(isWaiting(job({}, { operations: [{ state: "blocked" }] }), null)).toBe(false);
  });
  it("restarts a calculation of another revision, and stops it if nothing can be calculated", () => {
    expect(isUseless(job(), calculation("working", 2))).toBe(true);
    expect(isUseless(job(), calculation("waiting", 3))).toBe(false);
    expect(isUseless(job(), calculation("cancelled", 2))).toBe(false);
    expect(isWaiting(job(), calculation("working", 2))).toBe(true);
    expect(isWaiting(job({ findings: [{ level: "stop", overridden: "" }] }), calculation("working", 2))).toBe(false);
  });
});

import { describe, expect, it } from "vitest";
import { isUnderWay, type SampleShop } from "../api/jobList";
import { sampleInWords } from "./SampleShopStrip";

const shop = (change: Partial<SampleShop>): SampleShop => ({
  state: "making",
  jobs: 8,
  made: 2,
  finished: 1,
  step: "",
  reason: "",
  ...change,
});

describe("the sample shop", () => {
  it("says what is being made, and how many jobs are finished", () => {
    expect(sampleInWords(shop({ step: "meshes" }))).toBe(
      "The sample shop is being made: drawing its meshes. 1 of 8 jobs are finished.",
    );
    expect(sampleInWords(shop({ step: "fen chart" }))).toContain("making fen chart");
    expect(sampleInWords(shop({ state: "waiting" }))).toBe("The sample shop waits for a worker.");
    expect(sampleInWords(shop({ state: "made" }))).toContain("Your own work goes first");
  });

  it("is under way until its last job is finished", () => {
    expect(isUnderWay(shop({}))).toBe(true);
    expect(isUnderWay(shop({ state: "made", made: 8, finished: 7 }))).toBe(true);
    expect(isUnderWay(shop({ state: "made", made: 8, finished: 8 }))).toBe(false);
    expect(isUnderWay(shop({ state: "none" }))).toBe(false);
    expect(isUnderWay(shop({ state: "failed" }))).toBe(false);
  });
});

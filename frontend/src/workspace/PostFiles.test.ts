import { describe, expect, it } from "vitest";
import type { Finding, FullPlan } from "../api/types";
import { postId, sizeText, usedAgain, withOverride } from "./PostFiles";

const finding: Finding = {
  code: "gouge",
  level: "stop",
  row: "30",
  text: "gouged 0.2 mm deep",
  advice: "",
  place: null,
  moment: null,
  fixes: [],
  overridden: "",
};

describe("overriding a stop", () => {
  it("keeps the words of the finding and the reason, once for each", () => {
    const plan = { overrides: [] } as unknown as FullPlan;
    const once = withOverride(plan, finding, "  it is filled with wax ");
    expect(once.overrides).toEqual([
      { code: "gouge", row: "30", text: "gouged 0.2 mm deep", reason: "it is filled with wax" },
    ]);
    expect(withOverride(once, { ...finding, text: "gouged 0.3 mm deep" }, "still").overrides).toHaveLength(1);
    expect(withOverride(once, { ...finding, row: "40" }, "other").overrides).toHaveLength(2);
  });
});

describe("the post of a plan", () => {
  it("is named, or one of its own", () => {
    expect(postId("rs274-inch")).toBe("rs274-inch");
    expect(postId({ id: "shop-1" } as FullPlan["post"])).toBe("shop-1");
  });
});

describe("posted files", () => {
  it("name cutters that have several files", () => {
    const files = ["a", "b", "a"].map((cutter) => ({ cutters: [cutter] }));
    expect(usedAgain(files)).toEqual(["a"]);
    expect(usedAgain([{ cutters: ["a", "b"] }, { cutters: ["a", "b"] }])).toEqual([]);
  });
  it("say their size in the unit that fits", () => {
    expect([400, 24_120, 24_700_000].map(sizeText)).toEqual(["1 kB", "24 kB", "24.7 MB"]);
  });
});

// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import { isUnderWay, type SampleShop } from "../api/jobList";
import { showPage } from "../testing/page";
import { NoJobsYet, SampleShopStrip, sampleInWords } from "./SampleShopStrip";

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
      "The sample shop is being made: drawing its meshes. 1 of 8 jobs finished.",
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

  it("is made by the button of an empty page, which then goes", async () => {
    const { user, changes } = showPage(<NoJobsYet />, {
      "GET /api/sample-shop": shop({ state: "none", jobs: 0, made: 0, finished: 0 }),
      "POST /api/sample-shop": shop({ state: "waiting" }),
    });
    await user.click(await screen.findByRole("button", { name: "Make the sample shop" }));
    await waitFor(() => expect(screen.queryByRole("button")).toBeNull());
    expect(changes.map((asked) => asked.what)).toEqual(["POST /api/sample-shop"]);
  });

  it("says why it could not be made, and can be tried again", async () => {
    const { user, changes } = showPage(<SampleShopStrip />, {
      "GET /api/sample-shop": shop({ state: "failed", reason: "the disk is full" }),
      "POST /api/sample-shop": shop({ state: "waiting" }),
    });
    expect((await screen.findByRole("alert")).textContent).toBe("the disk is full");
    await user.click(screen.getByRole("button", { name: "Try again" }));
    expect((await screen.findByRole("status")).textContent).toContain("waits for a worker");
    expect(changes).toHaveLength(1);
  });
});

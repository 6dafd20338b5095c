import { expect, it } from "vitest";
import { named } from "./JobsPage";

const jobs = ["Heron plaque", "Moth roundel", "Heron scan"].map((name) => ({ name }));

it("finds jobs by words of their names, in any order", () => {
  expect(named(jobs, "heron").map((job) => job.name)).toEqual(["Heron plaque", "Heron scan"]);
  expect(named(jobs, "scan HER").map((job) => job.name)).toEqual(["Heron scan"]);
  expect(named(jobs, " ")).toEqual(jobs);
});

import { expect, it } from "vitest";
import type { SettingField } from "../../api/types";
import { foldText, offersFeeds } from "./OperationSettings";

const fields: [string, SettingField][] = [
  ["tab_height", { title: "Tab height", default: 3, unit: "mm" }],
  ["shoulders", { title: "Shoulders", default: "sloping", names: { straight: "straight", sloping: "sloping" } }],
  ["ramp", { title: "Ramp", default: 3, unit: "°" }],
];

it("says of a fold what is not the default", () => {
  expect(foldText(fields, { tab_height: 3, shoulders: "sloping", ramp: 3 }, "mm")).toBe("default");
  expect(foldText(fields, { tab_height: 2.5, shoulders: "straight", ramp: 5 }, "mm")).toBe(
    "tab height 2.5 · shoulders: straight · ramp 5°",
  );
  expect(foldText(fields, { tab_height: 25.4, shoulders: "sloping", ramp: 3 }, "in")).toBe("tab height 1");
});

it("offers the proposed feeds where an operation has its own and others would be proposed now", () => {
  expect(offersFeeds({ own: ["feed"], sum: "0.05 mm a tooth", proposed_sum: "0.08 mm a tooth" })).toBe(true);
  expect(offersFeeds({ own: ["feed"], sum: "0.08 mm a tooth", proposed_sum: "0.08 mm a tooth" })).toBe(false);
  expect(offersFeeds({ own: [], sum: "0.05 mm a tooth", proposed_sum: "0.08 mm a tooth" })).toBe(false);
});

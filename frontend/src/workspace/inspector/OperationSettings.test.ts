import { expect, it } from "vitest";
import type { SettingField } from "../../api/types";
import { foldText } from "./OperationSettings";

const fields: [string, SettingField][] = [
  ["tab_height", { title: "Tab height", default: 3, unit: "mm" }],
  ["shoulders", { title: "Shoulders", default: "sloping", names: { straight: "straight", sloping: "sloping" } }],
  ["ramp", { title: "Ramp", default: 3, unit: "°" }],
];

it("says of a fold what is not as usual", () => {
  expect(foldText(fields, { tab_height: 3, shoulders: "sloping", ramp: 3 }, "mm")).toBe("default");
  expect(foldText(fields, { tab_height: 2.5, shoulders: "straight", ramp: 5 }, "mm")).toBe(
    "tab height 2.5 · shoulders: straight · ramp 5°",
  );
  expect(foldText(fields, { tab_height: 25.4, shoulders: "sloping", ramp: 3 }, "in")).toBe("tab height 1");
});

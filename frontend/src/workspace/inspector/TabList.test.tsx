// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { FullPlan, Operation, OperationInfo } from "../../api/types";
import { setupOf } from "../state";
import { showInSheet } from "../../testing/render";
import { TabList } from "./TabList";

/** A square of 50 mm, beginning at its rightmost corner. */
const square = Float64Array.from([50, 0, 50, 50, 0, 50, 0, 0, 50, 0]);
vi.mock("../../api/results", () => ({
  useBlockDetail: (_: string, name: string) => ({
    data: { data: name === "rims" ? square : BigInt64Array.from([5n]) },
  }),
}));

function tabs(own: [number, number][], placed: [number, number][] = own) {
  const operation = {
    number: 50,
    strategy: "cut_out",
    boundary: { boundary: "silhouette" },
    settings: { tabs: 2, tab_places: own },
  } as unknown as Operation;
  const info = { number: 50, tabs: placed.map(([outline, share]) => ({ outline, share })) } as unknown as OperationInfo;
  const plan = { units: "mm", setups: [{ id: "a", operations: [operation] }] } as unknown as FullPlan;
  const derived = { setups: [{ outlines: { silhouette: { key: "k", refused: "" } } }] } as never;
  const shown = showInSheet(<TabList operation={operation} info={info} />, plan, { derived });
  return {
    ...shown,
    settings: (of: "keep" | "live" = "keep") =>
      setupOf(shown.sheet[of].mock.lastCall?.[0] as FullPlan, "a").operations[0]?.settings as Record<string, unknown>,
  };
}

describe("tabs one by one", () => {
  it("say how they stand: placed automatically or as set", () => {
    tabs(
      [],
      [
        [0, 0.25],
        [0, 0.75],
      ],
    );
    expect(screen.getByText("2 placed")).toBeTruthy();
    expect(screen.getByText("Place automatically", { selector: "button" }).hasAttribute("disabled")).toBe(true);
  });

  it("are moved along the outline by millimetres, round past its beginning", async () => {
    const { user, settings } = tabs([
      [0, 0.25],
      [0, 0.75],
    ]);
    await user.click(screen.getByText("Tabs one by one"));
    const field = screen.getByLabelText<HTMLInputElement>("Tab 1");
    expect(field.value).toBe("50");
    await user.clear(field);
    await user.type(field, "-20{Enter}");
    expect(settings().tab_places).toEqual([
      [0, 0.9],
      [0, 0.75],
    ]);
  });

  it("follow the arrow keys live", async () => {
    const { user, settings } = tabs([[0, 0.25]]);
    await user.click(screen.getByText("Tabs one by one"));
    await user.click(screen.getByLabelText("Tab 1"));
    await user.keyboard("{ArrowUp}");
    expect(settings("live").tab_places).toEqual([[0, expect.closeTo(0.255, 9)]]);
  });

  it("are taken out, the last one for good", async () => {
    const { user, settings } = tabs([
      [0, 0.25],
      [0, 0.75],
    ]);
    await user.click(screen.getByText("Tabs one by one"));
    await user.click(screen.getByLabelText("Take out tab 1"));
    expect(settings().tab_places).toEqual([[0, 0.75]]);
    const single = tabs([[0, 0.25]]);
    await single.user.click(screen.getAllByText("Tabs one by one")[1] as HTMLElement);
    await single.user.click(screen.getAllByLabelText("Take out tab 1")[1] as HTMLElement);
    expect(single.settings()).toMatchObject({ tab_places: [], tabs: 0 });
  });

  it("are added where the widest gap is, and given back to themselves", async () => {
    const { user, settings } = tabs([
      [0, 0.1],
      [0, 0.3],
    ]);
    await user.click(screen.getByText("Tabs one by one"));
    await user.click(screen.getByText("+ Add a tab"));
    const places = settings().tab_places as [number, number][];
    expect(places).toHaveLength(3);
    expect(places.map(([, share]) => share)).toContainEqual(expect.closeTo(0.7, 6));
    await user.click(screen.getByText("Place automatically"));
    expect(settings().tab_places).toEqual([]);
  });
});

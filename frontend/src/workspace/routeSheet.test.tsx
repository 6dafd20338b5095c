// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { screen, within } from "@testing-library/react";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Calculation, Derived, FullPlan } from "../api/types";
import { showInSheet } from "../testing/render";
import { answer, serve } from "../testing/server";
import { RouteSheet } from "./RouteSheet";

const operation = (number: number, more: object = {}) => ({
  number,
  strategy: "rough_offset",
  on: true,
  shown: true,
  cutter: { name: "6 mm flat", flute_length: 20, diameter: 6 },
  settings: {},
  ...more,
});
const plan = {
  units: "mm",
  stock: { kind: "box", length: 200, width: 120, thickness: 25, material: { name: "lime" } },
  models: [],
  setups: [
    {
      id: "a",
      kind: "face",
      side: "top",
      name: "Setup A · top face",
      on: true,
      operations: [operation(10), operation(20, { strategy: "finish_raster" })],
    },
  ],
} as unknown as FullPlan;
const info = (number: number, more: object = {}) => ({
  number,
  parent: number,
  title: `Rough ${number}`,
  line: "6 mm flat · 3 down",
  outline: [],
  state: "out of date",
  seconds: null,
  estimate: { seconds: 90, lines: 1, layers: 1, scallop: null },
  curve: [],
  ...more,
});
const derived = (operations: object[], findings: object[] = []) =>
  ({
    models: {},
    findings,
    joined: false,
    whole: null,
    setups: [
      {
        id: "a",
        whole: "a",
        tile: null,
        turn: null,
        bar: null,
        zero: "front left",
        operations,
        findings: [],
        outlines: {},
        time: { total: 180 },
        programs: null,
      },
    ],
  }) as unknown as Derived;
const finding = (level: string, row: string, text: string) => ({
  code: text,
  level,
  row,
  text,
  advice: "mend it",
  place: null,
  moment: null,
  fixes: [],
  overridden: "",
});

function sheet(
  more: { calculation?: Partial<Calculation>; busy?: boolean; findings?: object[]; operations?: object[] } = {},
) {
  const asked = { onCalculate: vi.fn(), onCancel: vi.fn(), onByItself: vi.fn() };
  const found = derived(more.operations ?? [info(10, { state: "current", seconds: 61 }), info(20)], more.findings);
  const shown = showInSheet(
    <QueryClientProvider client={new QueryClient()}>
      <RouteSheet calculation={(more.calculation ?? null) as Calculation | null} automatic={false} {...asked} />
    </QueryClientProvider>,
    plan,
    {
      derived: found,
      chosen: { kind: "operation", number: 20 },
      busy: more.busy ?? false,
      ofThis: true,
      progress: null,
      problem: "",
      job: { id: 1, version: 1, machine: { name: "Shed router" } },
    } as never,
  );
  return { ...shown, asked };
}

beforeEach(() =>
  serve(({ what }) =>
    answer(what.endsWith("/formats") ? { read: [".stl"], written: [".stl"] } : what.endsWith("/kinds") ? {} : []),
  ),
);

describe("the route sheet", () => {
  it("says of each operation what it costs, and whether that is an estimate", () => {
    sheet();
    const [first, second] = [screen.getByTestId("operation-10"), screen.getByTestId("operation-20")];
    expect(within(first).getByTitle("calculated").textContent).toBe("1:01");
    expect(within(first).getByText("current")).toBeTruthy();
    expect(within(second).getByTitle("estimated").textContent).toBe("≈ 1:30");
    expect(within(second).getByText("out of date")).toBeTruthy();
  });

  it("sums findings up at its foot, and shows each in its own row", () => {
    sheet({ findings: [finding("stop", "20", "it goes too deep"), finding("note", "stock", "it is damp")] });
    expect(within(screen.getByTestId("operation-20")).getByText(/it goes too deep: mend it/)).toBeTruthy();
    expect(within(screen.getByTestId("row-stock")).getByText(/it is damp/)).toBeTruthy();
    expect(screen.getByText("1 stop")).toBeTruthy();
    expect(screen.getByText("0 caution")).toBeTruthy();
  });

  it("moves, switches off and deletes the chosen operation", async () => {
    const { user, sheet: asked } = sheet();
    const row = within(screen.getByTestId("operation-20"));
    await user.click(row.getByLabelText("Move up"));
    await user.click(row.getByText("Switch off"));
    await user.click(row.getByText("Delete"));
    const plans = asked.keep.mock.calls.map((call) => (call[0] as FullPlan).setups[0]?.operations);
    expect(plans.map((list) => list?.map((item) => `${item.number} ${item.strategy}${item.on ? "" : " off"}`))).toEqual(
      [["10 finish_raster", "20 rough_offset"], ["10 rough_offset", "20 finish_raster off"], ["10 rough_offset"]],
    );
    expect(asked.choose.mock.calls.at(-1)).toEqual([{ kind: "stock" }]);
  });

  it("offers to calculate, and says that nothing is to be done where all is current", async () => {
    const first = sheet();
    await first.user.click(screen.getByText("Calculate"));
    expect(first.asked.onCalculate).toHaveBeenCalledTimes(1);
    await first.user.click(screen.getByLabelText("Calculate automatically"));
    expect(first.asked.onByItself).toHaveBeenCalledWith(true);
  });

  it("says what a calculation waits for, and stops it", async () => {
    const { user, asked } = sheet({ busy: true, calculation: { state: "waiting", ahead: 2, fraction: 0, left: null } });
    expect(screen.getByText("waiting: 2 tasks are before it")).toBeTruthy();
    await user.click(screen.getByText("Stop"));
    expect(asked.onCancel).toHaveBeenCalledTimes(1);
  });

  it("says how to begin where the job has no model", () => {
    sheet();
    expect(screen.getByText(/Drop a mesh here/)).toBeTruthy();
  });
});

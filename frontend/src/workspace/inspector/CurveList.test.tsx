// @vitest-environment jsdom
import { screen, within } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Boundary, FullPlan } from "../../api/types";
import { showInSheet } from "../../testing/render";
import { CurveList } from "./CurveList";

const reading = vi.hoisted(() => ({ of: (): Promise<unknown> => Promise.resolve() }));
vi.mock("../../api/jobs", () => ({ readCurves: () => reading.of() }));

const triangle = {
  points: [
    [0, 0],
    [40, 0],
    [0, 30],
  ],
  smooth: false,
};
const boundary = (curves: unknown[]) => ({ id: "b1", name: "Drawn", kind: "drawn", curves }) as unknown as Boundary;
const planWith = (item: Boundary) =>
  ({ units: "mm", stock: { length: 200, width: 100, thickness: 20 }, boundaries: [item] }) as unknown as FullPlan;
const curvesOf = (plan: FullPlan) => plan.boundaries?.[0]?.curves;

function list(curves: unknown[]) {
  const item = boundary(curves);
  const shown = showInSheet(<CurveList boundary={item} />, planWith(item));
  return { ...shown, kept: () => shown.sheet.keep.mock.lastCall as [FullPlan, string] };
}

describe("the curves of a boundary", () => {
  it("begin with a polygon about the middle of the stock", async () => {
    const { user, kept } = list([]);
    await user.click(screen.getByText("+ Polygon"));
    expect(curvesOf(kept()[0])).toEqual([
      {
        points: [
          [140, 50],
          [100, 75],
          [60, 50],
          [100, 25],
        ],
        smooth: false,
      },
    ]);
    expect(kept()[1]).toBe("add a polygon");
  });

  it("follow a number while it is typed and keep it when it is left", async () => {
    const { user, sheet, kept } = list([triangle]);
    const field = within(screen.getByTestId("curve")).getByLabelText("2 X");
    await user.clear(field);
    await user.type(field, "45");
    expect(curvesOf(sheet.live.mock.lastCall?.[0] as FullPlan)).toEqual([
      {
        points: [
          [0, 0],
          [45, 0],
          [0, 30],
        ],
        smooth: false,
      },
    ]);
    expect(sheet.keep).not.toHaveBeenCalled();
    await user.tab();
    expect(curvesOf(kept()[0])).toEqual([
      {
        points: [
          [0, 0],
          [45, 0],
          [0, 30],
        ],
        smooth: false,
      },
    ]);
  });

  it("get a point in the middle of the longest side, and never fewer than three", async () => {
    const { user, kept } = list([triangle]);
    expect(screen.getByLabelText("Take out point 1").hasAttribute("disabled")).toBe(true);
    await user.click(screen.getByText("+ Point"));
    expect(curvesOf(kept()[0])).toEqual([
      {
        points: [
          [0, 0],
          [40, 0],
          [20, 15],
          [0, 30],
        ],
        smooth: false,
      },
    ]);
  });

  it("are bent and taken out one by one", async () => {
    const { user, kept } = list([triangle, { ...triangle, smooth: true }]);
    await user.click(screen.getAllByText("Smooth")[0] as HTMLElement);
    expect(curvesOf(kept()[0])?.[0]?.smooth).toBe(true);
    await user.click(screen.getByLabelText("Take out curve 2"));
    expect(curvesOf(kept()[0])).toEqual([triangle]);
  });

  it("are imported from a drawing, after those that are there", async () => {
    reading.of = () =>
      Promise.resolve({
        curves: [
          [
            [1, 1],
            [2, 1],
            [2, 2],
          ],
        ],
        notes: ["1 line that does not close was left out"],
      });
    const { user, kept, container } = list([triangle]);
    await user.upload(
      container.querySelector("input[type=file]") as HTMLInputElement,
      new File(["<svg/>"], "wing.svg"),
    );
    expect((await screen.findByRole("status")).textContent).toBe(
      "1 curve imported; 1 line that does not close was left out.",
    );
    expect(curvesOf(kept()[0])).toEqual([
      triangle,
      {
        points: [
          [1, 1],
          [2, 1],
          [2, 2],
        ],
        smooth: false,
      },
    ]);
    expect(kept()[1]).toBe("curves of wing.svg");
  });

  it("stay as they are where a drawing cannot be read, and it is said why", async () => {
    reading.of = () => Promise.reject(new Error("wing.svg holds no closed curve: close its outlines"));
    const { user, sheet, container } = list([triangle]);
    await user.upload(
      container.querySelector("input[type=file]") as HTMLInputElement,
      new File(["<svg/>"], "wing.svg"),
    );
    expect((await screen.findByRole("alert")).textContent).toContain("close its outlines");
    expect(sheet.keep).not.toHaveBeenCalled();
  });
});

// @vitest-environment jsdom
import { act, fireEvent, render } from "@testing-library/react";
import { useState } from "react";
import * as THREE from "three";
import { describe, expect, it, vi } from "vitest";
import type { Boundary, FullPlan } from "../api/types";
import { SheetState, type Sheet, type Tool } from "../workspace/state";
import { useDrawing } from "./DrawTool";

const boundary = { id: "b1", name: "B", source: "drawn", curves: [] } as unknown as Boundary;
const plan = { units: "mm", boundaries: [boundary], setups: [] } as unknown as FullPlan;

/** The hook in a sheet, with the tool at hand. */
function drawing(matrix = new THREE.Matrix4(), item: Boundary | undefined = boundary) {
  const keep = vi.fn();
  const seen: { points: [number, number][]; add: (at: [number, number, number]) => void; tool: Tool }[] = [];
  function Inside(props: { tool: Tool }) {
    seen.push({ ...useDrawing(item, matrix, 2), tool: props.tool });
    return null;
  }
  function Outside() {
    const [tool, setTool] = useState<Tool>("draw");
    return (
      <SheetState.Provider value={{ plan, keep, tool, setTool } as unknown as Sheet}>
        <Inside tool={tool} />
      </SheetState.Provider>
    );
  }
  render(<Outside />);
  const now = () => seen[seen.length - 1] as (typeof seen)[number];
  const click = (x: number, y: number) => act(() => now().add([x, y, 20]));
  const press = (key: string) => fireEvent.keyDown(document.body, { key });
  return { now, click, press, keep };
}

describe("a boundary that is drawn in the view", () => {
  it("is kept once it is closed by a click on its first point", () => {
    const { now, click, keep } = drawing();
    for (const [x, y] of [[0, 0], [40, 0], [40, 30]] as const) click(x, y); // prettier-ignore
    expect(now().points).toEqual([[0, 0], [40, 0], [40, 30]]); // prettier-ignore
    expect(keep).not.toHaveBeenCalled();
    click(0.6, 0.4);
    expect(keep.mock.calls[0]?.[0].boundaries[0].curves).toEqual([
      { points: [[0, 0], [40, 0], [40, 30]], smooth: false }, // prettier-ignore
    ]);
    expect(now()).toMatchObject({ tool: "none", points: [] });
  });
  it("is closed by Enter, and loses its last point by Backspace", () => {
    const { now, click, press, keep } = drawing();
    for (const [x, y] of [[0, 0], [40, 0], [40, 30], [5, 5]] as const) click(x, y); // prettier-ignore
    press("Backspace");
    expect(now().points).toHaveLength(3);
    press("Enter");
    expect(keep.mock.calls[0]?.[0].boundaries[0].curves[0].points).toHaveLength(3);
  });
  it("goes on when Enter is pressed too early", () => {
    const { now, click, press, keep } = drawing();
    click(0, 0);
    press("Enter");
    expect(keep).not.toHaveBeenCalled();
    expect(now()).toMatchObject({ tool: "draw", points: [[0, 0]] });
  });
  it("is given up by Escape, and keeps nothing", () => {
    const { now, click, press, keep } = drawing();
    click(0, 0);
    click(40, 0);
    press("Escape");
    expect(now()).toMatchObject({ tool: "none", points: [] });
    expect(keep).not.toHaveBeenCalled();
  });
  it("counts from the low corner of the stock, at round numbers", () => {
    const { now, click } = drawing(new THREE.Matrix4().makeTranslation(-100, -50, 0));
    click(-60.13, -19.9);
    expect(now().points).toEqual([[40, 30]]);
  });
  it("takes nothing where the boundary is no drawn one", () => {
    const { now, click, keep } = drawing(new THREE.Matrix4(), { ...boundary, source: "stock" } as Boundary);
    click(0, 0);
    expect(now().points).toEqual([]);
    expect(keep).not.toHaveBeenCalled();
  });
});

// @vitest-environment jsdom
import { act, screen } from "@testing-library/react";
import { useEffect, useRef } from "react";
import { expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { ViewGuard } from "./ViewGuard";

function Drawn(props: { watch: (canvas: HTMLCanvasElement) => void; broken?: boolean }) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const { watch } = props;
  useEffect(() => {
    if (canvas.current) watch(canvas.current);
  }, [watch]);
  if (props.broken) throw new Error("WebGL is not there");
  return <canvas ref={canvas} data-testid="view" />;
}

it("says that the graphics context was lost, and shows the view again when it is asked to", async () => {
  const { user } = show(<ViewGuard>{(watch) => <Drawn watch={watch} />}</ViewGuard>);
  const before = screen.getByTestId("view");
  act(() => void before.dispatchEvent(new Event("webglcontextlost")));
  expect(screen.getByRole("alert").textContent).toContain("the graphics context was lost");
  expect(screen.queryByTestId("view")).toBeNull();
  act(() => void before.dispatchEvent(new Event("webglcontextlost")));
  await user.click(screen.getByText("Show the view again"));
  expect(screen.getByTestId("view")).toBeTruthy();
  expect(screen.queryByRole("alert")).toBeNull();
});

it("keeps the page where the view cannot be drawn at all", () => {
  vi.spyOn(console, "error").mockImplementation(() => undefined);
  show(
    <>
      <p>the sheet</p>
      <ViewGuard>{(watch) => <Drawn watch={watch} broken />}</ViewGuard>
    </>,
  );
  expect(screen.getByRole("alert").textContent).toContain("WebGL is not there");
  expect(screen.getByText("the sheet")).toBeTruthy();
});

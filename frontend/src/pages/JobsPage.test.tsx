// @vitest-environment jsdom
import { fireEvent, screen } from "@testing-library/react";
import { expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { Pages, megabytes } from "./JobsPage";

it("turns the pages of a long list, and shows none of a short one", () => {
  const turn = vi.fn();
  const { container, again } = show(<Pages page={1} pages={1} total={12} onPage={turn} />);
  expect(container.textContent).toBe("");
  again(<Pages page={2} pages={3} total={130} onPage={turn} />);
  expect(screen.getByRole("status").textContent).toBe("page 2 of 3 · 130 jobs");
  fireEvent.click(screen.getByText("Next page"));
  fireEvent.click(screen.getByText("Earlier page"));
  expect(turn.mock.calls).toEqual([[3], [1]]);
  again(<Pages page={3} pages={3} total={130} onPage={turn} />);
  expect(screen.getByText<HTMLButtonElement>("Next page").disabled).toBe(true);
});

it("says sizes in words", () => {
  expect([megabytes(12.4), megabytes(2048)]).toEqual(["12 MB", "2.0 GB"]);
});

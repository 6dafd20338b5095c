// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { Finding } from "../api/types";
import { showInSheet } from "../testing/render";
import { Findings, Tools } from "./rows";

const finding = (more: Partial<Finding>) =>
  ({
    code: "same-number",
    level: "stop",
    row: "operation 20",
    text: "two cutters have the number 2",
    advice: "give one of them another number",
    fixes: [],
    place: null,
    moment: null,
    overridden: "",
    ...more,
  }) as unknown as Finding;

describe("findings in the route sheet", () => {
  it("stand in the row that they are about, with their fix", () => {
    showInSheet(
      <Findings
        row="operation 20"
        list={[finding({}), finding({ code: "other", row: "stock", text: "the stock is too thin" })]}
      />,
      {},
    );
    expect(screen.getByText(/two cutters have the number 2: give one of them another number\./)).toBeTruthy();
    expect(screen.queryByText(/too thin/)).toBeNull();
  });

  it("have their fix as a button, and lead to the place and the moment", async () => {
    const edit = { kind: "renumber" } as never;
    const { user, sheet } = showInSheet(
      <Findings
        row="operation 20"
        list={[finding({ fixes: [{ label: "Renumber", edit }], place: [1, 2, 3], moment: 60 } as Partial<Finding>)]}
      />,
      {},
    );
    await user.click(screen.getByText("Renumber"));
    expect(sheet.edit.mock.calls).toEqual([[edit, "renumber"]]);
    await user.click(screen.getByLabelText("Show where: two cutters have the number 2"));
    expect(sheet.goTo.mock.calls).toEqual([[[1, 2, 3], 60]]);
  });

  it("say the reason that somebody gave for going on", () => {
    showInSheet(<Findings row="operation 20" list={[finding({ overridden: "they are the same cutter" })]} />, {});
    expect(screen.getByText(/Overridden: they are the same cutter\./)).toBeTruthy();
  });
});

describe("the tools of a chosen row", () => {
  it("come into sight when it is chosen, also at the foot of a long sheet", () => {
    const shown = vi.fn(() => Promise.resolve());
    Element.prototype.scrollIntoView = shown;
    const { again } = showInSheet(<Tools>Copy</Tools>, {});
    expect(shown.mock.calls).toEqual([[{ block: "nearest" }]]);
    expect(screen.getByText("Copy")).toBeTruthy();
    again(null);
    expect(screen.queryByText("Copy")).toBeNull();
  });
});

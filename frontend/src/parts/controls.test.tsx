// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { Ask, Button, Choose, Segments } from "./controls";
import { PointGrid } from "./PointGrid";

describe("a choice of a few", () => {
  it("is made with the keyboard, and what is off cannot be chosen", async () => {
    const onChange = vi.fn();
    const { user } = show(
      <Segments<"place" | "paths" | "proof">
        label="Look"
        value="paths"
        choices={{ place: "Place", paths: "Paths", proof: "Proof" }}
        onChange={onChange}
        off={["proof"]}
      />,
    );
    await user.tab();
    await user.keyboard("{ArrowLeft}{Enter}");
    expect(onChange.mock.calls).toEqual([["place"]]);
    await user.click(screen.getByText("Proof"));
    expect(onChange).toHaveBeenCalledTimes(1);
  });
});

describe("a list to choose from", () => {
  it("opens and closes on the keyboard and says what was chosen", async () => {
    const onChange = vi.fn();
    const { user } = show(
      <Choose<string> label="Post" value="plain" choices={{ plain: "plain", arcs: "with arcs" }} onChange={onChange} />,
    );
    await user.tab();
    await user.keyboard("{Enter}");
    expect(screen.getByRole("listbox")).toBeTruthy();
    await user.keyboard("{ArrowDown}{Enter}");
    expect(onChange.mock.calls).toEqual([["arcs"]]);
    expect(screen.queryByRole("listbox")).toBeNull();
  });
});

describe("a question", () => {
  it("is closed by Escape and keeps the focus inside until then", async () => {
    const onClose = vi.fn();
    const { user } = show(
      <>
        <button>behind</button>
        <Ask title="Delete the job?" open onClose={onClose}>
          <Button>Keep</Button>
          <Button>Delete</Button>
        </Ask>
      </>,
    );
    expect(screen.getByRole("dialog").textContent).toContain("Delete the job?");
    for (let k = 0; k < 4; k++) {
      await user.tab();
      expect(screen.getByRole("dialog").contains(document.activeElement)).toBe(true);
    }
    await user.keyboard("{Escape}");
    expect(onClose).toHaveBeenCalledTimes(1);
  });
});

describe("the nine points of a rectangle", () => {
  it("lie as seen from above and are chosen by their names", async () => {
    const onChange = vi.fn();
    const { user } = show(<PointGrid label="Zero" x="low" y="low" onChange={onChange} />);
    const names = screen.getAllByRole("radio").map((dot) => dot.getAttribute("aria-label"));
    expect(names).toEqual([
      "back left",
      "back",
      "back right",
      "left",
      "centre",
      "right",
      "front left",
      "front",
      "front right",
    ]);
    await user.click(screen.getByLabelText("back right"));
    expect(onChange.mock.calls).toEqual([["high", "high"]]);
    expect(screen.getByLabelText<HTMLInputElement>("front left").checked).toBe(true);
  });
});

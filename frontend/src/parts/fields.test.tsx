// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { LinesField, NameField, NumberField, TextLinesField, type NumberProps } from "./fields";

function number(more: Partial<NumberProps> = {}) {
  const onChange = vi.fn(),
    onLive = vi.fn();
  const props: NumberProps = {
    label: "Stepover",
    value: 2.5,
    unit: "mm",
    over: 0,
    high: 200,
    step: 0.25,
    onChange,
    onLive,
    ...more,
  };
  const { user, again } = show(<NumberField {...props} />);
  return {
    user,
    again: (other: Partial<NumberProps>) => again(<NumberField {...props} {...other} />),
    onChange,
    onLive,
    field: () => screen.getByLabelText<HTMLInputElement>("Stepover"),
  };
}

describe("a field for a number", () => {
  it("follows every keystroke, and is kept when it is left", async () => {
    const { user, field, onChange, onLive } = number();
    await user.clear(field());
    await user.type(field(), "12/8");
    expect(onLive.mock.calls.map(([value]) => value as number)).toEqual([1, 12, 2.5, 1.5]);
    expect(onChange).not.toHaveBeenCalled();
    await user.tab();
    expect(onChange.mock.calls).toEqual([[1.5]]);
  });

  it("is kept, or taken back, though what is typed has come back as its value meanwhile", async () => {
    const { user, field, again, onChange, onLive } = number();
    await user.clear(field());
    await user.type(field(), "3");
    again({ value: 3 });
    await user.keyboard("{Enter}");
    expect(onChange.mock.calls).toEqual([[3]]);
    await user.type(field(), "5");
    again({ value: 35 });
    await user.keyboard("{Escape}");
    expect(field().value).toBe("3");
    expect(onLive.mock.lastCall).toEqual([3]);
    expect(onChange).toHaveBeenCalledTimes(1);
  });

  it("takes either unit and shows the job's", async () => {
    const { user, field, onChange } = number();
    await user.clear(field());
    await user.type(field(), "1/8 in{Enter}");
    expect(onChange.mock.calls).toEqual([[3.175]]);
    expect(field().value).toBe("3.175");
  });

  it("says its range where a number is beyond it, and keeps what was there", async () => {
    const { user, field, onChange, onLive } = number();
    await user.clear(field());
    await user.type(field(), "0");
    expect(screen.getByText("give more than 0, up to 200")).toBeTruthy();
    await user.tab();
    expect(onChange).not.toHaveBeenCalled();
    expect(onLive).not.toHaveBeenCalled();
    expect(field().getAttribute("aria-invalid")).toBe("true");
    await user.type(field(), "{Escape}");
    expect(field().value).toBe("2.5");
    expect(field().getAttribute("aria-invalid")).toBeNull();
    expect(onLive).toHaveBeenLastCalledWith(2.5);
  });

  it("says what is wrong with words that are no number", async () => {
    const { user, field } = number();
    await user.type(field(), " x");
    expect(screen.getByText(/give more than 0, up to 200/)).toBeTruthy();
  });

  it("steps with the arrows, ten times as far with shift, and not beyond its range", async () => {
    const { user, field, onLive } = number();
    await user.click(field());
    await user.keyboard("{ArrowUp}{Shift>}{ArrowDown}{/Shift}{ArrowDown}");
    expect(onLive.mock.calls.map(([value]) => value as number)).toEqual([2.75, 0.25]);
    expect(field().value).toBe("0.25");
  });

  it("steps by sixteenths in a job in inches", async () => {
    const { user, field, onLive } = number({ unit: "in", value: 25.4, step: 1, high: 500 });
    expect(field().value).toBe("1");
    await user.click(field());
    await user.keyboard("{ArrowUp}");
    expect(onLive.mock.lastCall?.[0]).toBeCloseTo((25.4 * 17) / 16, 6);
  });

  it("takes over what comes from elsewhere, but not while it is typed in", async () => {
    const { user, field, again } = number();
    again({ value: 4 });
    expect(field().value).toBe("4");
    await user.clear(field());
    await user.type(field(), "7");
    again({ value: 5 });
    expect(field().value).toBe("7");
  });

  it("may be left empty where that means something", async () => {
    const { user, field, onChange } = number({ empty: "as proposed" });
    await user.clear(field());
    await user.tab();
    expect(onChange.mock.calls).toEqual([[null]]);
    expect(field().placeholder).toBe("as proposed");
  });
});

describe("a name", () => {
  it("is kept on Enter and on leaving, without spaces round it, and never empty", async () => {
    const onChange = vi.fn();
    const { user } = show(<NameField label="Name" value="Heron" onChange={onChange} />);
    const field = screen.getByLabelText<HTMLInputElement>("Name");
    await user.type(field, " in oak {Enter}");
    expect(onChange.mock.calls).toEqual([["Heron in oak"]]);
    await user.clear(field);
    await user.tab();
    expect(onChange).toHaveBeenCalledTimes(1);
    expect(field.value).toBe("Heron");
  });
});

describe("lines of text", () => {
  it("come one a row, without empty ones at the end", async () => {
    const onChange = vi.fn();
    const { user } = show(<LinesField label="Header" value={["G21"]} onChange={onChange} />);
    await user.type(screen.getByLabelText("Header"), "{Enter}G90{Enter}");
    expect(onChange).toHaveBeenLastCalledWith(["G21", "G90"]);
  });
});

describe("text of several lines", () => {
  it("shows what is typed at once, and is kept when it is left though its value has followed", async () => {
    const onChange = vi.fn(),
      onLive = vi.fn();
    const field = (value: string) => <TextLinesField label="Text" value={value} onLive={onLive} onChange={onChange} />;
    const { user, again } = show(field("HEN"));
    await user.type(screen.getByLabelText("Text"), "{Enter}S");
    expect(onLive).toHaveBeenLastCalledWith("HEN\nS");
    again(field("HEN\nS"));
    await user.tab();
    expect(onChange.mock.calls).toEqual([["HEN\nS"]]);
  });
  it("is taken back by Escape, and is never left empty", async () => {
    const onChange = vi.fn(),
      onLive = vi.fn();
    const { user } = show(<TextLinesField label="Text" value="HEN" onLive={onLive} onChange={onChange} />);
    const field = screen.getByLabelText<HTMLTextAreaElement>("Text");
    await user.type(field, "S{Escape}");
    expect(onLive).toHaveBeenLastCalledWith("HEN");
    await user.clear(field);
    await user.tab();
    expect(field.value).toBe("HEN");
    expect(onChange).not.toHaveBeenCalled();
  });
});

// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { NumberField } from "./fields";
import { FieldTrouble, useRefusal } from "./trouble";

const asked = { live: vi.fn(), keep: vi.fn() };

/** A sheet that refuses every stepover over 3. */
function Sheet() {
  const [value, setValue] = useState(1.2);
  const [open, setOpen] = useState(true);
  const { trouble, elsewhere, begin, clear } = useRefusal();
  const keep = (typed: number | null) => {
    const refuse = begin();
    asked.keep(typed);
    if ((typed ?? 0) > 3) refuse("the stepover is larger than the cutter: use 2.7 mm or less");
    else {
      clear();
      setValue(typed ?? 0);
    }
  };
  return (
    <FieldTrouble.Provider value={trouble}>
      {open && <NumberField label="Stepover" unit="mm" value={value} onLive={asked.live} onChange={keep} />}
      <NumberField label="Feed" unit="mm" kind="plain" value={5} onChange={keep} />
      <button onClick={() => keep(9)}>Coarser</button>
      <button onClick={() => setOpen(false)}>Another operation</button>
      <p data-testid="sheet">{elsewhere}</p>
    </FieldTrouble.Provider>
  );
}
const field = (name: string) => screen.getByLabelText<HTMLInputElement>(name);

describe("what is typed", () => {
  it.each(["12o", "1e9", "3..", "2*("])("is not kept by its beginning: %s", async (typed) => {
    const { user } = show(<Sheet />);
    await user.clear(field("Stepover"));
    await user.type(field("Stepover"), typed);
    asked.keep.mockClear();
    await user.tab();
    expect(asked.keep).not.toHaveBeenCalled();
    expect(asked.live.mock.lastCall).toEqual([1.2]);
    expect(field("Stepover").value).toBe(typed);
    await user.click(screen.getByText("Back to 1.2"));
    expect(field("Stepover").value).toBe("1.2");
  });

  it("stays where it was refused, with the sentence and the way back at that field", async () => {
    const { user } = show(<Sheet />);
    await user.clear(field("Stepover"));
    await user.type(field("Stepover"), "9{Enter}");
    expect(field("Stepover").value).toBe("9");
    expect(screen.getAllByText(/larger than the cutter/)).toHaveLength(1);
    await user.click(screen.getByText("Back to 1.2"));
    expect(field("Stepover").value).toBe("1.2");
    expect(screen.queryByText(/larger than the cutter/)).toBeNull();
    await user.clear(field("Stepover"));
    await user.type(field("Stepover"), "2{Enter}");
    expect(field("Stepover").value).toBe("2");
  });

  it("is said with the sheet where no field made the change, or its field is gone", async () => {
    const { user } = show(<Sheet />);
    await user.type(field("Feed"), "1");
    await user.click(screen.getByText("Coarser"));
    expect(screen.getByTestId("sheet").textContent).toContain("larger than the cutter");
    expect(screen.getAllByText(/larger than the cutter/)).toHaveLength(1);
    await user.clear(field("Stepover"));
    await user.type(field("Stepover"), "9{Enter}");
    expect(screen.getByTestId("sheet").textContent).toBe("");
    await user.click(screen.getByText("Another operation"));
    expect(screen.getByTestId("sheet").textContent).toContain("larger than the cutter");
  });
});

// @vitest-environment jsdom
import { screen } from "@testing-library/react";
import { useState } from "react";
import { describe, expect, it, vi } from "vitest";
import { show } from "../testing/render";
import { NumberField } from "./fields";
import { FieldTrouble } from "./trouble";

const asked = { live: vi.fn(), keep: vi.fn() };

/** A sheet that refuses every stepover over 3. */
function Sheet() {
  const [value, setValue] = useState(1.2);
  const [field, ask] = useState<string | null>(null);
  const [problem, setProblem] = useState("");
  const keep = (typed: number | null) => {
    asked.keep(typed);
    if ((typed ?? 0) > 3) setProblem("the stepover is larger than the cutter: use 2.7 mm or less");
    else {
      setProblem("");
      setValue(typed ?? 0);
    }
  };
  return (
    <FieldTrouble.Provider value={{ problem, field, ask, clear: () => setProblem("") }}>
      <NumberField label="Stepover" unit="mm" value={value} onLive={asked.live} onChange={keep} />
      <NumberField label="Feed" unit="mm" kind="plain" value={5} onLive={asked.live} onChange={keep} />
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
});

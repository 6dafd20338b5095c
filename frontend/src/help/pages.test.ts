import { describe, expect, it } from "vitest";
import { helpOn } from "./address";
import { PAGES, anchorOf, excerpt, pageOfFinding, pagesOf, searched, sectionsOf } from "./pages";

const SECTIONS = PAGES.flatMap(sectionsOf);

describe("pages of the help", () => {
  it("are those for machinists, each with a title", () => {
    const keys = PAGES.map((page) => page.key);
    expect(keys).toContain("rotary");
    expect(keys).toContain("findings");
    expect(keys).not.toContain("architecture");
    expect(PAGES.every((page) => page.title !== page.key)).toBe(true);
  });

  it("have those without a place in the order behind the others", () => {
    const pages = pagesOf({ clamps: "# Clamps", tiles: "# Tiles", running: "# Running" });
    expect(pages.map((page) => page.title)).toEqual(["Running", "Tiles", "Clamps"]);
  });

  it("have a section for each heading", () => {
    const rotary = SECTIONS.filter((section) => section.page === "rotary");
    expect(rotary[0]?.anchor).toBe("");
    expect(rotary.map((section) => section.anchor)).toContain("strategies");
    expect(anchorOf("What is *checked*, and when")).toBe("what-is-checked-and-when");
  });

  it("are searched by all words, titles first", () => {
    const found = searched(SECTIONS, "chuck tailstock");
    expect(found.length).toBeGreaterThan(0);
    expect(found.every((section) => /tailstock/i.test(`${section.title} ${section.text}`))).toBe(true);
    expect(searched(SECTIONS, "no such words anywhere at all")).toEqual([]);
    expect(searched(SECTIONS, "  ")).toEqual([]);
    const titled = searched(SECTIONS, "findings");
    expect(titled[0]?.title.toLowerCase()).toContain("finding");
  });

  it("explain findings where the kind of job is explained, or on the page of all findings", () => {
    expect(pageOfFinding("not-cut")).toBe("findings");
    expect(["rotary", "findings"]).toContain(pageOfFinding("bar-breaks"));
    expect(pageOfFinding("no-such-code")).toBe("findings");
  });

  it("show what stands around a word, without Markdown", () => {
    expect(
      excerpt("The **core** joins [both](x.md) ends of the figure to the bar, from end to end.", "both"),
    ).toContain("joins both ends");
  });
});

describe("the help on what is chosen", () => {
  const plan = {
    faces: null,
    setups: [{ id: "a", kind: "rotary", operations: [{ number: 20, strategy: "finish_helix" }] }],
  } as unknown as Parameters<typeof helpOn>[1];
  const known = [...PAGES.map((page) => page.key), "strategies"];

  it("is on a page that there is", () => {
    expect(helpOn({ kind: "operation", number: 20 }, plan)).toBe("/help/strategies#finish_helix");
    expect(helpOn({ kind: "setup", id: "a" }, plan)).toBe("/help/rotary");
    const four = { faces: {}, setups: ["a", "b", "c", "d"].map((id) => ({ id, kind: "face", operations: [] })) };
    const figure = four as unknown as typeof plan;
    expect(helpOn({ kind: "setup", id: "b" }, figure)).toBe("/help/four-faces");
    expect(helpOn({ kind: "turn", id: "b" }, figure)).toBe("/help/four-faces");
    for (const chosen of [
      { kind: "stock" },
      { kind: "setup", id: "gone" },
      { kind: "turn", id: "a" },
      { kind: "model", id: "m" },
      { kind: "model", id: "m", piece: "p" },
      { kind: "operation", number: 99 },
      { kind: "boundary", id: "b" },
    ] as const)
      expect(known).toContain(helpOn(chosen, plan).split("/")[2]?.split("#")[0]);
  });
});

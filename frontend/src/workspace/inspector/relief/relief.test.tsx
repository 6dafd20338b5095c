// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { screen } from "@testing-library/react";
import { describe, expect, it, vi } from "vitest";
import type { FullPlan, ReliefPiece } from "../../../api/types";
import { showInSheet } from "../../../testing/render";
import { chosenRelief, nextModel, withPiece } from "../../state";
import { KindFields } from "./KindFields";
import { longer, PathRows, withVertex, type PathSource } from "./PathRows";
import { centred, finer } from "./PieceSource";
import { reachText } from "./CutterReach";
import { readAt, stretch } from "./SectionPanel";
import type { ReachHead } from "../../../lib/relief";

const plan = {
  units: "mm",
  models: [
    { id: "m1", name: "Heron", mesh: "abc" },
    { id: "m2", name: "Tray", composition: { tolerance: 0.01, pieces: [{ id: "p1", name: "Body", height: 5 }] } },
  ],
} as unknown as FullPlan;
const path: PathSource = {
  kind: "path",
  closed: false,
  vertices: [
    [0, 0, 0],
    [10, 0, 0.5],
  ],
};

describe("a relief in the inspector", () => {
  it("changes one piece and leaves the other models alone", () => {
    const next = withPiece(plan, "m2", "p1", { height: 7 } as Partial<ReliefPiece>);
    expect(next.models?.[1]?.composition?.pieces[0]?.height).toBe(7);
    expect(next.models?.[0]).toBe(plan.models?.[0]);
    expect(nextModel(plan)).toBe("m3");
  });
  it("knows the piece that is chosen", () => {
    expect(chosenRelief(plan, { kind: "model", id: "m2", piece: "p1" })?.piece?.name).toBe("Body");
    expect(chosenRelief(plan, { kind: "model", id: "m1" })).toBeNull();
    expect(chosenRelief(plan, { kind: "stock" })).toBeNull();
  });
  it("shows the fields of a kind as the server describes them", async () => {
    const onLive = vi.fn(),
      onChange = vi.fn();
    const { user } = showInSheet(
      <KindFields
        fields={{
          angle: { title: "Wall angle", type: "number", measure: "angle", minimum: 1, exclusiveMaximum: 90 },
          sides: { title: "Sides", type: "integer", minimum: 3, maximum: 60 },
          vertices: { title: "Vertices", type: "array" },
        }}
        values={{ angle: 60, sides: 6, vertices: [] }}
        unit="mm"
        chosen={{}}
        onLive={onLive}
        onChange={onChange}
      />,
      plan,
    );
    const angle = screen.getByLabelText("Wall angle");
    await user.clear(angle);
    await user.type(angle, "95");
    expect(screen.getByText(/give 1 to/)).toBeTruthy();
    await user.clear(angle);
    await user.type(angle, "45{Enter}");
    expect(onChange.mock.lastCall).toEqual([{ angle: 45 }, "wall angle"]);
    const sides = screen.getByLabelText("Sides");
    await user.clear(sides);
    await user.type(sides, "7.6{Enter}");
    expect(onChange.mock.lastCall).toEqual([{ sides: 8 }, "sides"]);
  });
  it("edits lines and arcs point by point", async () => {
    expect(withVertex(path, 1, 2, 1).vertices[1]).toEqual([10, 0, 1]);
    expect(longer(path).vertices[2]).toEqual([20, 0, 0]);
    const onChange = vi.fn();
    const { user } = showInSheet(
      <QueryClientProvider client={new QueryClient()}>
        <PathRows source={path} unit="mm" onLive={vi.fn()} onChange={onChange} />
      </QueryClientProvider>,
      plan,
    );
    await user.click(screen.getByText("Closed"));
    expect(onChange.mock.lastCall?.[0]).toEqual({ ...path, closed: true });
    expect(screen.getByLabelText("Take out point 1").hasAttribute("disabled")).toBe(true);
  });
  it("puts imported curves round the origin", () => {
    expect(
      centred([
        [
          [10, 10],
          [30, 10],
          [30, 20],
        ],
      ]),
    ).toEqual([
      [
        [-10, -5],
        [10, -5],
        [10, 5],
      ],
    ]);
  });
  it("puts a point more between each two of a drawn curve", () => {
    const curve = {
      points: [
        [0, 0],
        [4, 0],
        [0, 4],
      ] as [number, number][],
      smooth: true,
    };
    expect(finer(curve).points).toHaveLength(6);
    expect(finer(curve).points[1]).toEqual([2, 0]);
  });
  it("says what a cutter leaves, how wide, where and in which piece", () => {
    const head = { limit: 0.05, most: 4, share: 0.021, wide: 2.5, at: [-18.75, 15], piece: "p1" } as ReachHead;
    expect(reachText(head, { p1: "Slot" }, "mm")).toContain(
      "up to 4 mm of height, on 2.1 % of the relief. The widest place is 2.5 mm across, at X -18.75 Y 15 of the relief, Slot.",
    );
    expect(reachText({ ...head, share: 0 }, {}, "mm")).toBe("It reaches all of the relief within 0.05 mm.");
  });
  it("reads a section at a share of its length", () => {
    const section = { along: [0, 5, 10], height: [0, 3, 1], piece: [null, "p1", "p1"] };
    expect(readAt(section, 0.5)).toEqual({ along: 5, height: 3, piece: "p1" });
    expect(readAt(section, 2)).toEqual({ along: 10, height: 1, piece: "p1" });
    expect(stretch({ along: [0, 284] }, 84)).toBeCloseTo(1);
  });
});

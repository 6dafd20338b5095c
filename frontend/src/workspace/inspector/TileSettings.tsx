/** Tiles of a setup: seams with the cost of the ground, overrun, zero, and how the board is slid. */
import { useTheme } from "styled-components";
import type { EditOf, Setup, Tiles } from "../../api/types";
import { lengthText } from "../../lib/numbers";
import { Choose, Quiet } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { infoOf, useSheetState } from "../state";
import { axisOf, costLine } from "../tiles";
import { Buttons, Folded, Head, Note } from "./shared";
import { tilesOf } from "../../setups/kinds";

const WIDE = 284;
const TALL = 44;

/** What a seam costs along the board, with the seams as they are. */
function CostChart(props: { setup: Setup; tiles: Tiles; length: number }) {
  const { derived } = useSheetState();
  const theme = useTheme();
  const costs = derived.seam_costs[props.setup.id];
  if (!costs) return null;
  const seams = axisOf(props.tiles) === "x" ? (props.tiles.seams_x ?? []) : (props.tiles.seams_y ?? []);
  return (
    <figure style={{ margin: "6px 0" }}>
      <svg
        viewBox={`0 -2 ${WIDE} ${TALL + 4}`}
        width="100%"
        role="img"
        aria-label="What a seam costs along the board: low over plain ground, high over fine detail"
      >
        <line x1="0" x2={WIDE} y1={TALL} y2={TALL} stroke={theme.hairline} />
        <polyline
          points={costLine(costs.at, costs.cost, props.length, WIDE, TALL)}
          fill="none"
          stroke={theme.muted}
          strokeWidth="1"
        />
        {seams.map((at, k) => (
          <line
            key={k}
            x1={(at / props.length) * WIDE}
            x2={(at / props.length) * WIDE}
            y1="-2"
            y2={TALL + 2}
            stroke={theme.action}
            strokeWidth="2"
          />
        ))}
      </svg>
      <Note>Cost of a seam along the board: low over plain ground, high over steep or fine ground.</Note>
    </figure>
  );
}

function Seams(props: { setup: Setup; tiles: Tiles; axis: "x" | "y"; length: number }) {
  const { plan, edit, liveEdit } = useSheetState();
  const { setup, axis } = props;
  const unit = plan.units ?? "mm";
  const seams = (axis === "x" ? props.tiles.seams_x : props.tiles.seams_y) ?? [];
  const move = (seam: number, at: number): EditOf<"move_seam"> => ({
    do: "move_seam",
    setup: setup.id,
    seam,
    axis,
    at,
  });
  return seams.map((at, k) => (
    <div key={k} style={{ display: "flex", gap: 6, alignItems: "end" }}>
      <div style={{ flex: 1 }}>
        <NumberField
          label={`Seam ${k + 1} at ${axis.toUpperCase()}`}
          unit={unit}
          value={at}
          low={0}
          high={props.length}
          onLive={(value) => value !== null && liveEdit(move(k + 1, value))}
          onChange={(value) => value !== null && edit(move(k + 1, value), "move a seam")}
        />
      </div>
      <Quiet
        aria-label={`Take out seam ${k + 1}`}
        onPress={() => edit({ do: "drop_seam", setup: setup.id, seam: k + 1, axis }, "take a seam out")}
      >
        ×
      </Quiet>
    </div>
  ));
}

function SlideBy(props: { setup: Setup; tiles: Tiles }) {
  const { plan, edit } = useSheetState();
  const { setup, tiles } = props;
  const unit = plan.units ?? "mm";
  const change = (what: Record<string, unknown>): EditOf<"change_tiles"> => ({
    do: "change_tiles",
    setup: setup.id,
    change: what,
  });
  const by = tiles.slide ?? "fence";
  const both = (tiles.seams_x ?? []).length > 0 && (tiles.seams_y ?? []).length > 0;
  const length = (label: string, key: "inset" | "diameter" | "past", usual: number, high: number, over = false) => (
    <NumberField
      label={label}
      unit={unit}
      value={tiles[key] ?? usual}
      {...(over ? { over: 0 } : { low: 0 })}
      high={high}
      onChange={(value) => value !== null && edit(change({ [key]: value }), label.toLowerCase())}
    />
  );
  const slide = (next: Tiles["slide"]) =>
    next === "fence"
      ? edit(change({ slide: "fence", zero: tiles.zero === "mark" ? "seam" : tiles.zero }), "slide along a fence")
      : edit(
          { do: "mark_slides", setup: setup.id, slide: next },
          next === "dowels" ? "slide by dowels" : "slide by score marks",
        );
  return (
    <>
      <Choose
        label="Found by"
        value={by}
        choices={both ? { fence: "a fence" } : { fence: "a fence", dowels: "dowel holes", marks: "score marks" }}
        onChange={slide}
      />
      {by !== "fence" && length("Marks from the edges", "inset", 8, 500)}
      {by === "dowels" && (
        <>
          {length("Dowel diameter", "diameter", 6, 50, true)}
          {length("Holes past the seam", "past", 12, 200)}
        </>
      )}
      <Choose
        label="Zero of each tile"
        value={tiles.zero ?? "seam"}
        choices={{
          seam: "on its seam",
          ...(by === "dowels" ? { mark: "on a dowel hole" } : {}),
          stock: "the setup's own",
        }}
        onChange={(zero) => edit(change({ zero }), "zero of tiles")}
      />
      <Choose
        label="Order"
        value={tiles.order ?? "forward"}
        choices={{ forward: "from the left", backward: "from the right" }}
        onChange={(order) => edit(change({ order, errors: [], strips: [] }), "order of tiles")}
      />
    </>
  );
}

export function TileSettings(props: { setup: Setup }) {
  const { plan, derived, edit, liveEdit } = useSheetState();
  const { setup } = props;
  const unit = plan.units ?? "mm";
  const tiles = tilesOf(setup);
  const size = infoOf(derived, setup.id)?.size ?? [plan.stock.length, plan.stock.width, plan.stock.thickness];
  const cut = (axis: "x" | "y"): EditOf<"cut_in_tiles"> => ({ do: "cut_in_tiles", setup: setup.id, axis });
  if (!tiles)
    return (
      <Folded title="Tiles" short="cut whole">
        <Note>A board longer than the machine is cut in tiles: cut one, slide the board, cut the next.</Note>
        <Buttons>
          <Quiet onPress={() => edit({ ...cut("x"), count: 2 }, "cut in tiles")}>Cut in two tiles along X</Quiet>
          <Quiet onPress={() => edit({ ...cut("y"), count: 2 }, "cut in tiles")}>Along Y</Quiet>
        </Buttons>
      </Folded>
    );
  const axis = axisOf(tiles);
  const length = size[axis === "x" ? 0 : 1] as number;
  const change = (what: Record<string, unknown>): EditOf<"change_tiles"> => ({
    do: "change_tiles",
    setup: setup.id,
    change: what,
  });
  return (
    <>
      <Head>Tiles</Head>
      <CostChart setup={setup} tiles={tiles} length={length} />
      <Seams setup={setup} tiles={tiles} axis="x" length={size[0] as number} />
      <Seams setup={setup} tiles={tiles} axis="y" length={size[1] as number} />
      <Buttons>
        <Quiet onPress={() => edit({ do: "add_seam", setup: setup.id, axis }, "add a seam")}>+ Seam</Quiet>
        <Quiet onPress={() => edit(cut(axis), "propose seams")}>Propose seams</Quiet>
        <Quiet
          onPress={() => edit({ do: "add_seam", setup: setup.id, axis: axis === "x" ? "y" : "x" }, "add a seam across")}
        >
          + Across
        </Quiet>
        <Quiet onPress={() => edit({ do: "cut_whole", setup: setup.id }, "cut whole")}>Cut whole</Quiet>
      </Buttons>
      <NumberField
        label="Overrun"
        unit={unit}
        value={tiles.overrun ?? 1}
        low={0}
        high={200}
        help="how far each tile cuts past the seam to the next tile, which begins at the seam"
        onLive={(value) => value !== null && liveEdit(change({ overrun: value }))}
        onChange={(value) => value !== null && edit(change({ overrun: value }), "overrun")}
      />
      <SlideBy setup={setup} tiles={tiles} />
      <Note>
        The longest tile is {lengthText(longest(tiles, axis, length), unit, "measured")} {unit}.
      </Note>
    </>
  );
}

/** The longest tile along an axis. */
export function longest(tiles: Tiles, axis: "x" | "y", length: number): number {
  const ends = [0, ...((axis === "x" ? tiles.seams_x : tiles.seams_y) ?? []), length];
  return Math.max(...ends.slice(1).map((end, k) => end - (ends[k] as number)));
}

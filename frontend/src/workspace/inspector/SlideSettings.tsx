/** The slide from one tile to the next: what hands do, an assumed error, and the strip that saves a seam with a step. */
import { useState } from "react";
import type { EditOf, SetupInfo, Tiles } from "../../api/types";
import { lengthText } from "../../lib/numbers";
import { Button, Choose, Quiet, Said } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { setupOf, useSheetState } from "../state";
import { SlideDrawing } from "../TurnRow";
import { axisOf, partsOf, seamOfSlide } from "../tiles";
import { Buttons, Folded, Head, Note } from "./shared";
import { tilesOf } from "../../setups/kinds";

const KEYS = { dx: "Along X", dy: "Along Y", dz: "In height" } as const;

function AssumedError(props: { info: SetupInfo; tiles: Tiles; tile: number }) {
  const { plan, derived, edit } = useSheetState();
  const unit = plan.units ?? "mm";
  const now = (props.tiles.errors ?? []).find((item) => item.tile === props.tile);
  const assume = (what: Record<string, unknown>): EditOf<"assume_slide_error"> => ({
    do: "assume_slide_error",
    setup: props.info.whole,
    tile: props.tile,
    change: what,
  });
  const seam = seamOfSlide(props.tiles, props.tile);
  const at =
    seam === null
      ? undefined
      : ((axisOf(props.tiles) === "x" ? props.tiles.seams_x : props.tiles.seams_y) ?? [])[seam - 1];
  const steps = partsOf(derived, props.info.whole).flatMap((item) => item.summary?.steps ?? []);
  const step = steps.find((item) => at !== undefined && Math.abs(item.at - at) < 1e-6);
  return (
    <Folded title="Registration error" short={now ? "assumed" : "none assumed"}>
      <Note>
        {!now
          ? "Type an error to see the step that it would make at the seam. The programs do not change."
          : step
            ? `In the proof the surface steps ${step.most < 0 ? "down" : "up"} by ${lengthText(Math.abs(step.most), unit, "measured")} ${unit} at most after the seam, ${lengthText(Math.abs(step.mean), unit, "measured")} on average.`
            : "Calculate, and the proof shows the step at the seam."}
      </Note>
      {(Object.keys(KEYS) as (keyof typeof KEYS)[]).map((key) => (
        <NumberField
          key={key}
          label={KEYS[key]}
          unit={unit}
          value={Number(now?.[key] ?? 0)}
          low={-10}
          high={10}
          onChange={(value) => value !== null && edit(assume({ [key]: value }), "registration error")}
        />
      ))}
      <NumberField
        label="Rotation, degrees"
        unit={unit}
        kind="plain"
        value={Number(now?.rotation ?? 0)}
        low={-10}
        high={10}
        onChange={(value) => value !== null && edit(assume({ rotation: value }), "registration error")}
      />
    </Folded>
  );
}

function SeamStrip(props: { info: SetupInfo; tiles: Tiles; seam: number }) {
  const { plan, edit } = useSheetState();
  const unit = plan.units ?? "mm";
  const axis = axisOf(props.tiles);
  const [height, setHeight] = useState(0.2);
  const [width, setWidth] = useState(40);
  const [side, setSide] = useState<"before" | "after">("before");
  const strip = (props.tiles.strips ?? []).find((item) => item.seam === props.seam && (item.axis ?? "x") === axis);
  const words =
    axis === "x"
      ? { before: "left of the seam", after: "right of the seam" }
      : { before: "in front of the seam", after: "behind the seam" };
  if (strip)
    return (
      <>
        <Head>Strip at seam {props.seam}</Head>
        <Note>
          The side {words[strip.side ?? "before"]} is cut {lengthText(strip.height ?? 0, unit, "measured")} {unit} lower
          at the seam, and blends to nothing over {lengthText(strip.width ?? 0, unit, "measured")} {unit}. It has a file
          of its own.
        </Note>
        <Buttons>
          <Quiet
            onPress={() =>
              edit({ do: "drop_strip", setup: props.info.whole, seam: props.seam, axis }, "take the strip away")
            }
          >
            Take the strip away
          </Quiet>
        </Buttons>
      </>
    );
  return (
    <Folded title="The seam came out with a step" short="no strip">
      <Note>
        Measure the step on the board. The higher side is finished again in a strip beside the seam, lowered to the
        other side and blended out.
      </Note>
      <NumberField
        label="Step"
        unit={unit}
        value={height}
        over={0}
        high={10}
        onChange={(value) => value !== null && setHeight(value)}
      />
      <Choose label="Higher" value={side} choices={words} onChange={(value) => setSide(value as "before")} />
      <NumberField
        label="Strip width"
        unit={unit}
        value={width}
        low={1}
        high={1000}
        onChange={(value) => value !== null && setWidth(value)}
      />
      <Buttons>
        <Button
          onPress={() =>
            edit(
              { do: "add_strip", setup: props.info.whole, seam: props.seam, axis, height, side, width },
              "add a strip",
            )
          }
        >
          Add the strip
        </Button>
      </Buttons>
    </Folded>
  );
}

/** The settings of a slide row. */
export function SlideSettings(props: { info: SetupInfo }) {
  const { plan, problem } = useSheetState();
  const { info } = props;
  const tiles = tilesOf(setupOf(plan, info.id));
  if (!tiles || !info.tile || !info.turn) return null;
  const seam = seamOfSlide(tiles, info.tile.number);
  return (
    <>
      <h2>{info.tile.strip ? "Before the strip" : "Slide the board"}</h2>
      <p className="sub">
        what hands do before tile {info.tile.number} of {info.tile.count}
      </p>
      <div style={{ display: "flex", gap: 10, alignItems: "center" }}>
        <SlideDrawing by={info.tile.slid} size={44} />
        <Note>
          {info.turn.words[0]?.toUpperCase()}
          {info.turn.words.slice(1)}. The board is found {info.turn.found}. Then check {info.turn.check}.
        </Note>
      </div>
      {problem && <Said role="alert">{problem}</Said>}
      {!info.tile.strip && <AssumedError info={info} tiles={tiles} tile={info.tile.number} />}
      {seam !== null && <SeamStrip info={info} tiles={tiles} seam={seam} />}
    </>
  );
}

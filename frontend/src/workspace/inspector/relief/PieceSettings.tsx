/** The settings of a piece of a relief: outline, shape, how it is combined, place, repeats. */
import { useEffect, useState } from "react";
import { useReliefForms } from "../../../api/reliefs";
import type { Composition, ReliefPiece, EditOf } from "../../../api/types";
import { Choose, Quiet, ToggleQuiet } from "../../../parts/controls";
import { NameField, NumberField, WordField } from "../../../parts/fields";
import { useSheetState } from "../../state";
import { Buttons, Folded, Head } from "../shared";
import { bare, heightsOf, part, usePieceChange } from "./change";
import { KindFields } from "./KindFields";
import { PieceSource } from "./PieceSource";

/** Ways of combining that change the ground and have no surface of their own. */
const ON_GROUND = ["scale", "smooth", "despeck"];
/** Ways of combining that set a surface against the ground, and so need to know where it starts. */
const WITH_BASE = ["higher", "lower", "replace", "blend"];

type Use = ReturnType<typeof usePieceChange>;

function Shape(props: { piece: ReliefPiece; use: Use }) {
  const { plan } = useSheetState();
  const { data: forms } = useReliefForms();
  const { piece, use } = props;
  const [typed, setTyped] = useState("");
  const shape = piece.shape;
  const heights = shape.kind === "section" ? shape.heights.join(" ") : "";
  useEffect(() => setTyped(heights), [heights]);
  const form = forms?.shapes[shape.kind];
  if (!forms || !form || piece.source.kind === "mesh") return null;
  const open = piece.source.kind === "path" && !piece.source.closed;
  const choices = Object.fromEntries(
    Object.entries(forms.shapes)
      .filter(([kind]) => !open || ["bead", "rope", "section"].includes(kind))
      .map(([kind, { title }]) => [kind, title]),
  );
  const enter = () => {
    const values = heightsOf(typed);
    if (values && shape.kind === "section" && values.join(" ") !== heights)
      use.keep({ shape: { ...shape, heights: values } }, "section");
    else setTyped(heights);
  };
  return (
    <>
      <Choose
        label="Shape"
        value={shape.kind}
        choices={choices}
        onChange={(kind) => use.keep({ shape: bare<ReliefPiece["shape"]>(kind) }, "shape")}
      />
      <KindFields
        fields={form.fields}
        values={shape as unknown as Record<string, unknown>}
        unit={plan.units ?? "mm"}
        chosen={{}}
        onLive={(change) => use.show({ shape: part(shape, change) })}
        onChange={(change, note) => use.keep({ shape: part(shape, change) }, note)}
      />
      {shape.kind === "section" && (
        <WordField
          label="Heights across, 0 to 1"
          value={typed}
          onChange={setTyped}
          onBlur={enter}
          onKey={(key) => key === "Enter" && enter()}
        />
      )}
    </>
  );
}

function Level(props: { piece: ReliefPiece; use: Use }) {
  const { plan } = useSheetState();
  const { data: forms } = useReliefForms();
  const { piece, use } = props;
  const unit = plan.units ?? "mm";
  const how = piece.combine;
  const fading = (combine: string) =>
    combine === "blend" && piece.fade <= 0 ? { combine: "blend" as const, fade: 5 } : { combine: combine as "add" };
  return (
    <>
      <Choose
        label="Combine"
        value={how}
        choices={forms?.combine ?? { [how]: how }}
        onChange={(combine) => use.keep(fading(combine), "combine")}
      />
      {!ON_GROUND.includes(how) && (
        <NumberField
          label="Height"
          unit={unit}
          value={piece.height}
          low={-2000}
          high={2000}
          step={0.5}
          help={WITH_BASE.includes(how) ? "over its base; negative goes down" : undefined}
          onLive={(height) => height !== null && use.show({ height })}
          onChange={(height) => height !== null && use.keep({ height }, "height")}
        />
      )}
      {WITH_BASE.includes(how) && (
        <Choose
          label="Base"
          value={piece.base.kind}
          choices={{ plane: "a level plane", ground: "the ground below" }}
          onChange={(kind) => use.keep({ base: { ...piece.base, kind: kind as "plane" } }, "base")}
        />
      )}
      {(WITH_BASE.includes(how) || how === "scale") && (
        <NumberField
          label={piece.base.kind === "ground" && how !== "scale" ? "Over the ground" : "Base over the bottom"}
          unit={unit}
          value={piece.base.height}
          low={-10000}
          high={10000}
          step={0.5}
          onLive={(height) => height !== null && use.show({ base: { ...piece.base, height } })}
          onChange={(height) => height !== null && use.keep({ base: { ...piece.base, height } }, "base")}
        />
      )}
      {ON_GROUND.includes(how) && (
        <NumberField
          label={how === "scale" ? "Factor" : how === "smooth" ? "Smooth over" : "Narrower than"}
          {...(how === "scale" ? { kind: "plain" as const } : {})}
          unit={unit}
          value={piece.amount}
          low={how === "scale" ? 0 : 0.05}
          high={1000}
          step={how === "scale" ? 0.1 : 0.5}
          onLive={(amount) => amount !== null && use.show({ amount })}
          onChange={(amount) => amount !== null && use.keep({ amount }, "amount")}
        />
      )}
      <NumberField
        label="Fade to the edge over"
        unit={unit}
        value={piece.fade}
        {...(how === "blend" ? { over: 0 } : { low: 0 })}
        high={2000}
        step={0.5}
        help="inside its outline"
        onLive={(fade) => fade !== null && use.show({ fade })}
        onChange={(fade) => fade !== null && use.keep({ fade }, "fade")}
      />
    </>
  );
}

function Place(props: { model: string; piece: ReliefPiece; others: Record<string, string>; use: Use }) {
  const { plan, edit } = useSheetState();
  const { piece, use, others } = props;
  const unit = plan.units ?? "mm";
  const [to, setTo] = useState("");
  const base = to in others ? to : (Object.keys(others)[0] ?? "");
  const align = (how: EditOf<"align_pieces">["how"]) =>
    edit({ do: "align_pieces", model: props.model, pieces: [piece.id], how, to: base || null }, `align ${how}`);
  return (
    <Folded title="Place" short={`${Number(piece.at[0].toFixed(2))}, ${Number(piece.at[1].toFixed(2))}`}>
      {([0, 1] as const).map((axis) => (
        <NumberField
          key={axis}
          label={`Middle at ${"XY"[axis]}`}
          unit={unit}
          value={piece.at[axis]}
          low={-10000}
          high={10000}
          onLive={(value) => value !== null && use.show({ at: axis ? [piece.at[0], value] : [value, piece.at[1]] })}
          onChange={(value) =>
            value !== null && use.keep({ at: axis ? [piece.at[0], value] : [value, piece.at[1]] }, "place")
          }
        />
      ))}
      <NumberField
        label="Angle"
        kind="angle"
        suffix="°"
        unit={unit}
        value={piece.angle}
        low={-360}
        high={360}
        step={5}
        onLive={(angle) => angle !== null && use.show({ angle })}
        onChange={(angle) => angle !== null && use.keep({ angle }, "angle")}
      />
      <Buttons>
        <ToggleQuiet isSelected={piece.mirror} onChange={(mirror) => use.keep({ mirror }, "mirror")}>
          Mirror
        </ToggleQuiet>
      </Buttons>
      {base && (
        <>
          <Choose label="Align with" value={base} choices={others} onChange={setTo} />
          <Buttons>
            <Quiet onPress={() => align("centre")}>Centre</Quiet>
            <Quiet onPress={() => align("left")}>Left</Quiet>
            <Quiet onPress={() => align("middle-x")}>Middle X</Quiet>
            <Quiet onPress={() => align("right")}>Right</Quiet>
            <Quiet onPress={() => align("front")}>Front</Quiet>
            <Quiet onPress={() => align("middle-y")}>Middle Y</Quiet>
            <Quiet onPress={() => align("back")}>Back</Quiet>
          </Buttons>
        </>
      )}
    </Folded>
  );
}

function Repeats(props: { piece: ReliefPiece; others: Record<string, string>; use: Use }) {
  const { plan } = useSheetState();
  const { piece, use, others } = props;
  const { repeat } = piece;
  const change = (more: Partial<ReliefPiece["repeat"]>) => ({ repeat: { ...repeat, ...more } });
  return (
    <Folded title="Repeat" short={repeat.count > 1 || repeat.along ? `${repeat.count} times` : "once"}>
      <NumberField
        label="Count"
        kind="plain"
        unit="mm"
        value={repeat.count}
        low={1}
        high={500}
        onLive={(value) => value !== null && use.show(change({ count: Math.round(value) }))}
        onChange={(value) => value !== null && use.keep(change({ count: Math.round(value) }), "repeat")}
      />
      <Choose
        label="Copies lie"
        value={repeat.along ?? ""}
        choices={{
          "": "round a point",
          ...Object.fromEntries(Object.entries(others).map(([k, v]) => [k, `along ${v}`])),
        }}
        onChange={(key) => use.keep(change({ along: key || null }), "repeat along")}
      />
      {!repeat.along &&
        ([0, 1] as const).map((axis) => (
          <NumberField
            key={axis}
            label={`Point at ${"XY"[axis]}`}
            unit={plan.units ?? "mm"}
            value={repeat.about[axis]}
            low={-10000}
            high={10000}
            onChange={(value) =>
              value !== null &&
              use.keep(change({ about: axis ? [repeat.about[0], value] : [value, repeat.about[1]] }), "repeat about")
            }
          />
        ))}
      <Buttons>
        <ToggleQuiet isSelected={repeat.turned} onChange={(turned) => use.keep(change({ turned }), "turn copies")}>
          Turn each copy
        </ToggleQuiet>
      </Buttons>
    </Folded>
  );
}

export function PieceSettings(props: { model: string; composition: Composition; piece: ReliefPiece }) {
  const { edit, choose } = useSheetState();
  const { model, composition, piece } = props;
  const use = usePieceChange(model, piece.id);
  const others = Object.fromEntries(
    composition.pieces.filter((item) => item.id !== piece.id).map((item) => [item.id, item.name]),
  );
  return (
    <>
      <Head>{piece.name}</Head>
      <NameField label="Name" value={piece.name} onChange={(name) => use.keep({ name }, "rename a piece")} />
      <PieceSource model={model} piece={piece} others={others} />
      <Level piece={piece} use={use} />
      {!ON_GROUND.includes(piece.combine) && <Shape piece={piece} use={use} />}
      <Place model={model} piece={piece} others={others} use={use} />
      <Repeats piece={piece} others={others} use={use} />
      <Buttons style={{ marginTop: 8 }}>
        <Quiet onPress={() => edit({ do: "copy_piece", model, piece: piece.id }, "copy a piece")}>Copy</Quiet>
        <Quiet
          onPress={() =>
            edit(
              { do: "add_piece", model, kind: "offset", of: piece.id, name: `${piece.name}, offset` },
              "offset curve",
            )
          }
        >
          Offset curve
        </Quiet>
        <Quiet onPress={() => edit({ do: "add_piece_boundary", model, piece: piece.id }, "boundary of a piece")}>
          Make a boundary
        </Quiet>
        <Quiet
          onPress={() => {
            choose({ kind: "model", id: model });
            edit({ do: "remove_piece", model, piece: piece.id }, "delete a piece");
          }}
        >
          Delete
        </Quiet>
      </Buttons>
    </>
  );
}

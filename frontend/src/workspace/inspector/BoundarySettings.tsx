/** The settings of a named boundary: where it comes from, how it is grown, and what it is joined with. */
import { useState } from "react";
import type { Boundary, FullPlan } from "../../api/types";
import { areaText, lengthText } from "../../lib/numbers";
import { Choose, Quiet, Said, ToggleQuiet } from "../../parts/controls";
import { NameField, NumberField } from "../../parts/fields";
import { boundaryChoices, infoOf, useSheetState, withBoundary } from "../state";
import { CurveList } from "./CurveList";
import { Buttons, Folded, Head, Note } from "./shared";

const SOURCES = {
  silhouette: "outline of models",
  slice: "above a height",
  box: "box of models",
  stock: "stock",
  rectangle: "rectangle",
  circle: "circle",
  drawn: "drawn or imported",
  piece: "piece of a relief",
};
const HOW = { join: "joined with", cut: "without", intersect: "common with" };

/** Pieces of reliefs by "model piece". */
export const reliefPieces = (plan: FullPlan): Record<string, string> =>
  Object.fromEntries(
    (plan.models ?? []).flatMap((model) =>
      (model.composition?.pieces ?? []).map((piece) => [`${model.id} ${piece.id}`, piece.name] as const),
    ),
  );

/** Where a boundary may come from: a piece only where the job has a relief. */
function sourcesFor(plan: FullPlan, boundary: Boundary): Record<string, string> {
  const { piece, ...plain } = SOURCES;
  return boundary.source === "piece" || Object.keys(reliefPieces(plan)).length ? { ...plain, piece } : plain;
}

/** What lies inside the boundary as a model of its own. */
function TakePiece(props: { boundary: string }) {
  const { plan, edit } = useSheetState();
  const unit = plan.units ?? "mm";
  const models = (plan.models ?? []).filter((model) => model.shown);
  const [allowance, setAllowance] = useState(0);
  const [chosen, setChosen] = useState("");
  const model = models.find((item) => item.id === chosen) ?? models[0];
  if (!model) return null;
  return (
    <Folded title="Take a piece out" short="inside the curve">
      <Note>
        What lies inside becomes a model of its own with straight sides, to be moved and turned. The whole model is
        hidden.
      </Note>
      {models.length > 1 && (
        <Choose
          label="Of"
          value={model.id}
          choices={Object.fromEntries(models.map((item) => [item.id, item.name]))}
          onChange={setChosen}
        />
      )}
      <NumberField
        label="Joint allowance"
        unit={unit}
        value={allowance}
        low={-20}
        high={20}
        help="so far inside the curve the piece ends"
        onChange={(value) => value !== null && setAllowance(value)}
      />
      <Buttons>
        <Quiet
          onPress={() =>
            edit(
              {
                do: "take_piece",
                model: model.id,
                boundary: props.boundary,
                name: `${model.name}, piece ${(plan.models ?? []).length}`,
                allowance,
              },
              "take a piece out",
            )
          }
        >
          Make the piece
        </Quiet>
      </Buttons>
    </Folded>
  );
}

export function BoundarySettings(props: { boundary: Boundary }) {
  const { plan, derived, live, keep, choose, problem, tool, setTool, setupId } = useSheetState();
  const { boundary } = props;
  const unit = plan.units ?? "mm";
  const square = unit === "in" ? 645.16 : 1;
  const drawn = infoOf(derived, setupId)?.outlines[boundary.id];
  const changed = (change: Partial<Boundary>) => withBoundary(plan, boundary.id, change);
  const number = (
    label: string,
    value: number,
    change: (value: number) => Partial<Boundary>,
    range: { low?: number; over?: number; high: number },
    help?: string,
  ) => (
    <NumberField
      label={label}
      unit={unit}
      value={value}
      {...range}
      help={help}
      step={0.5}
      onLive={(next) => next !== null && live(changed(change(next)))}
      onChange={(next) => next !== null && keep(changed(change(next)), label.toLowerCase())}
    />
  );
  const others = boundaryChoices(plan, boundary.id);
  const combine = boundary.combine ?? [];
  const at = boundary.at ?? [0, 0],
    size = boundary.size ?? [50, 50];
  const placed = boundary.source === "rectangle" || boundary.source === "circle";
  const bar = infoOf(derived, setupId)?.bar;
  return (
    <>
      <h2>{boundary.name}</h2>
      <p className="sub">
        {drawn?.refused
          ? ""
          : drawn
            ? `${drawn.loops} ${drawn.loops === 1 ? "loop" : "loops"} · ${areaText(drawn.area ?? 0, unit)}`
            : "being drawn…"}
      </p>
      {(problem || drawn?.refused) && <Said role="alert">{problem || drawn?.refused}</Said>}
      {bar && (
        <Note>
          On the bar its numbers count on the unrolled surface: X along the bar, Y round it,{" "}
          {lengthText(2 * Math.PI * bar.radius, unit, "measured")} {unit} once round. See and drag it in Paths,
          Unrolled.
        </Note>
      )}
      <NameField label="Name" value={boundary.name} onChange={(name) => keep(changed({ name }), "name")} />
      <Choose
        label="Comes from"
        value={boundary.source ?? "silhouette"}
        choices={sourcesFor(plan, boundary)}
        onChange={(source) => {
          const [model, piece] = (Object.keys(reliefPieces(plan))[0] ?? " ").split(" ") as [string, string];
          keep(
            changed({ source: source as "box", ...(source === "piece" ? { models: [model], piece } : {}) }),
            "source",
          );
        }}
      />
      {boundary.source === "slice" &&
        number("Height over the foot", boundary.height ?? 1, (height) => ({ height }), { low: 0, high: 10000 })}
      {placed && number("Middle at, X", at[0], (value) => ({ at: [value, at[1]] }), { low: -10000, high: 10000 })}
      {placed && number("Middle at, Y", at[1], (value) => ({ at: [at[0], value] }), { low: -10000, high: 10000 })}
      {placed &&
        number(
          boundary.source === "circle" ? "Diameter" : "Size X",
          size[0],
          (value) => ({ size: boundary.source === "circle" ? [value, value] : [value, size[1]] }),
          { over: 0, high: 10000 },
        )}
      {boundary.source === "rectangle" &&
        number("Size Y", size[1], (value) => ({ size: [size[0], value] }), { over: 0, high: 10000 })}
      {boundary.source === "piece" && (
        <Choose
          label="Piece"
          value={`${boundary.models?.[0] ?? ""} ${boundary.piece ?? ""}`}
          choices={reliefPieces(plan)}
          onChange={(key) => {
            const [model, piece] = key.split(" ") as [string, string];
            keep(changed({ models: [model], piece }), "piece");
          }}
        />
      )}
      {boundary.source === "drawn" && <CurveList boundary={boundary} />}
      {!placed &&
        boundary.source !== "stock" &&
        boundary.source !== "drawn" &&
        boundary.source !== "piece" &&
        (plan.models?.length ?? 0) > 1 && (
          <Buttons>
            {plan.models?.map((model) => (
              <ToggleQuiet
                key={model.id}
                isSelected={boundary.models?.includes(model.id) ?? false}
                onChange={(on) =>
                  keep(
                    changed({
                      models: on
                        ? [...(boundary.models ?? []), model.id]
                        : (boundary.models ?? []).filter((id) => id !== model.id),
                    }),
                    "models",
                  )
                }
              >
                {model.name}
              </ToggleQuiet>
            ))}
          </Buttons>
        )}
      {number(
        "Offset",
        boundary.offset ?? 0,
        (offset) => ({ offset }),
        { low: -500, high: 500 },
        "outwards; negative inwards",
      )}
      <Choose
        label="Corners"
        value={boundary.corners ?? "round"}
        choices={{ round: "round", sharp: "sharp" }}
        onChange={(corners) => keep(changed({ corners: corners as "round" }), "corners")}
      />
      {number("Smooth within", boundary.smooth ?? 0, (smooth) => ({ smooth }), { low: 0, high: 10 })}
      <NumberField
        label="Drop loops under"
        kind="plain"
        suffix={`${unit}²`}
        unit={unit}
        value={(boundary.drop_under ?? 0) / square}
        low={0}
        high={100000000}
        step={unit === "in" ? 0.05 : 10}
        onChange={(value) => value !== null && keep(changed({ drop_under: value * square }), "small loops")}
      />
      <Buttons>
        <ToggleQuiet
          isSelected={boundary.outer_only ?? false}
          onChange={(outer_only) => keep(changed({ outer_only }), "holes")}
        >
          Outer loops only
        </ToggleQuiet>
        <ToggleQuiet isSelected={tool === "pick loop"} onChange={(on) => setTool(on ? "pick loop" : "none")}>
          Pick a loop off
        </ToggleQuiet>
        {(boundary.left_out?.length ?? 0) > 0 && (
          <Quiet onPress={() => keep(changed({ left_out: [] }), "loops back in")}>
            Take {boundary.left_out?.length} back in
          </Quiet>
        )}
      </Buttons>
      {tool === "pick loop" && <Note>Click near the loop in the view. Escape lets it be.</Note>}
      <Head>
        Combined<span>{combine.length || "with none"}</span>
      </Head>
      {combine.map((item, k) => (
        <Buttons key={k}>
          <span style={{ flex: 1 }}>
            <Choose
              wide
              label="How"
              value={item.how ?? "join"}
              choices={HOW}
              onChange={(how) =>
                keep(
                  changed({ combine: combine.map((old, n) => (n === k ? { ...old, how: how as "join" } : old)) }),
                  "combine",
                )
              }
            />
          </span>
          <span style={{ flex: 1 }}>
            <Choose
              wide
              label="With"
              value={item.boundary}
              choices={others}
              onChange={(other) =>
                keep(
                  changed({ combine: combine.map((old, n) => (n === k ? { ...old, boundary: other } : old)) }),
                  "combine",
                )
              }
            />
          </span>
          <Quiet
            aria-label="Take the combination out"
            onPress={() => keep(changed({ combine: combine.filter((_, n) => n !== k) }), "combine")}
          >
            ×
          </Quiet>
        </Buttons>
      ))}
      <Buttons>
        <Quiet
          onPress={() =>
            keep(
              changed({ combine: [...combine, { how: "join", boundary: Object.keys(others)[0] as string }] }),
              "combine",
            )
          }
        >
          + Combine with another
        </Quiet>
        <Quiet
          onPress={() => {
            choose({ kind: "stock" });
            keep(
              { ...plan, boundaries: (plan.boundaries ?? []).filter((item) => item.id !== boundary.id) },
              "delete boundary",
            );
          }}
        >
          Delete
        </Quiet>
      </Buttons>
      <TakePiece boundary={boundary.id} />
      {placed && (
        <Note>
          From the low corner of the stock, {lengthText(plan.stock.length, unit)} × {lengthText(plan.stock.width, unit)}{" "}
          {unit}.
        </Note>
      )}
    </>
  );
}

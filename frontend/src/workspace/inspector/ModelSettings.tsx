/** The settings of a model: unit, size, way up, place; and what may be done to its mesh. */
import { useState } from "react";
import { placedOf, type Copies as CopiesOf, type EditOf, type Model, type ModelState } from "../../api/types";
import { exportModel } from "../../api/results";
import { useFormats } from "../../api/shop";
import { lengthText } from "../../lib/numbers";
import { Choose, Quiet, Said, ToggleQuiet } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { PointGrid } from "../../parts/PointGrid";
import { useSheetState } from "../state";
import { BarPlacement } from "./BarPlacement";
import { MeshCare } from "./MeshCare";
import { ReliefSettings } from "./relief/ReliefSettings";
import { Buttons, Folded, Head, Note, Threes } from "./shared";

const UNITS: Record<string, string> = { 1: "mm", 10: "cm", 25.4: "inch", 1000: "m" };
const AXES = ["X", "Y", "Z"] as const;

function Unit(props: { model: Model; state: ModelState }) {
  const { edit } = useSheetState();
  const { unit: said } = props.state.facts;
  const unit = String(props.model.placement?.unit ?? 1);
  const choices = { ...(unit in UNITS ? {} : { [unit]: "as scaled" }), ...UNITS };
  return (
    <>
      <Choose
        label={`Unit of the file${said.sure ? "" : ", a guess"}`}
        value={unit}
        choices={choices}
        onChange={(key) => edit({ do: "unit_model", model: props.model.id, unit: Number(key) }, "unit of the file")}
      />
    </>
  );
}

function Size(props: { model: Model; state: ModelState }) {
  const { plan, edit, liveEdit } = useSheetState();
  const [follow, setFollow] = useState(true);
  const { model, state } = props;
  const change = (axis: number, value: number): EditOf<"size_model"> => ({
    do: "size_model",
    model: model.id,
    axis,
    value,
    alone: !follow,
  });
  const uneven = Math.max(...state.scale) - Math.min(...state.scale) > 1e-6 * Math.max(...state.scale);
  return (
    <>
      <Head>
        Size
        <span>
          {state.percent.toFixed(1)} % of the file{uneven ? ", stretched" : ""}
        </span>
      </Head>
      {AXES.map((name, axis) => (
        <NumberField
          key={name}
          label={`Size ${name}`}
          unit={plan.units ?? "mm"}
          value={state.size[axis] ?? 0}
          over={0}
          high={10000}
          help={follow ? "the others follow" : "on its own"}
          onLive={(value) => value !== null && liveEdit(change(axis, value))}
          onChange={(value) => value !== null && edit(change(axis, value), `size ${name}`)}
        />
      ))}
      <NumberField
        label="Percent of the file"
        kind="plain"
        suffix="%"
        unit="mm"
        value={Number(state.percent.toFixed(3))}
        over={0}
        high={1000000}
        step={5}
        onLive={(value) => value !== null && liveEdit({ do: "percent_model", model: model.id, percent: value })}
        onChange={(value) =>
          value !== null && edit({ do: "percent_model", model: model.id, percent: value }, "percent")
        }
      />
      <Buttons>
        <ToggleQuiet isSelected={follow} onChange={setFollow}>
          Others follow
        </ToggleQuiet>
        <Quiet onPress={() => edit({ do: "swap_xy", model: model.id }, "swap X and Y")}>Swap X and Y</Quiet>
        <Quiet onPress={() => edit({ do: "fit_model", model: model.id }, "scale to fit")}>Scale to fit</Quiet>
        {uneven && (
          <Quiet onPress={() => edit({ do: "true_proportions", model: model.id }, "proportions")}>
            True proportions
          </Quiet>
        )}
      </Buttons>
    </>
  );
}

function WayUp(props: { model: Model }) {
  const { edit, tool, setTool } = useSheetState();
  const { model } = props;
  const mirror = model.placement?.mirror ?? [false, false, false];
  const turn = (axis: number, degrees: number) => edit({ do: "turn_model", model: model.id, axis, degrees }, "turn");
  return (
    <>
      <Head>Way up</Head>
      <Buttons>
        <Quiet onPress={() => edit({ do: "best_way_up", model: model.id }, "best way up")}>Best way up</Quiet>
        <ToggleQuiet isSelected={tool === "lay flat"} onChange={(on) => setTool(on ? "lay flat" : "none")}>
          Lay a face flat
        </ToggleQuiet>
      </Buttons>
      {tool === "lay flat" && <Note role="status">Click the face that is to lie on the bed.</Note>}
      <Threes>
        {AXES.map((name, axis) => (
          <Quiet key={name} aria-label={`${name} +90°: turn about ${name}`} onPress={() => turn(axis, 90)}>
            {name} +90°
          </Quiet>
        ))}
        {AXES.map((name, axis) => (
          <Quiet key={name} aria-label={`${name} −90°: turn about ${name}`} onPress={() => turn(axis, -90)}>
            {name} −90°
          </Quiet>
        ))}
        {AXES.map((name, axis) => (
          <ToggleQuiet
            key={name}
            isSelected={mirror[axis] ?? false}
            onChange={() => edit({ do: "mirror_model", model: model.id, axis }, "mirror")}
          >
            Mirror {name}
          </ToggleQuiet>
        ))}
      </Threes>
    </>
  );
}

function Place(props: { model: Model; state: ModelState }) {
  const { plan, edit, liveEdit } = useSheetState();
  const { model, state } = props;
  const unit = plan.units ?? "mm";
  const align = model.placement?.align ?? ["centre", "centre", "high"],
    offset = model.placement?.offset ?? [0, 0, -1];
  const flush = offset[0] === 0 && offset[1] === 0;
  const above = plan.stock.thickness - (state.high[2] ?? 0),
    below = state.low[2] ?? 0;
  const gap = (side: "above" | "below", gap: number): EditOf<"gap_model"> => ({
    do: "gap_model",
    model: model.id,
    side,
    gap,
  });
  return (
    <>
      <Head>
        Place
        <span>
          {lengthText(above, unit, "measured")} above · {lengthText(below, unit, "measured")} below
        </span>
      </Head>
      <div
        style={{ display: "grid", gridTemplateColumns: "104px 1fr", gap: 12, alignItems: "center", margin: "6px 0" }}
      >
        <PointGrid
          label="Place in the stock"
          x={flush ? align[0] : null}
          y={flush ? align[1] : null}
          onChange={(x, y) => edit({ do: "corner_model", model: model.id, x, y }, "place")}
        />
        <Buttons style={{ margin: 0 }}>
          <Quiet onPress={() => edit(gap("above", 0), "top flush")}>Top flush</Quiet>
          <Quiet onPress={() => edit({ do: "align_model", model: model.id, axis: 2, align: "centre" }, "middle")}>
            Middle
          </Quiet>
          <Quiet onPress={() => edit(gap("below", 0), "bottom flush")}>Bottom flush</Quiet>
        </Buttons>
      </div>
      {([0, 1] as const).map((axis) => (
        <NumberField
          key={axis}
          label={axis ? "Front edge at, Y" : "Left edge at, X"}
          unit={unit}
          value={Number((state.low[axis] ?? 0).toFixed(6))}
          low={-10000}
          high={10000}
          onLive={(value) => value !== null && liveEdit({ do: "edge_model", model: model.id, axis, value })}
          onChange={(value) => value !== null && edit({ do: "edge_model", model: model.id, axis, value }, "place")}
        />
      ))}
      {(["above", "below"] as const).map((side) => (
        <NumberField
          key={side}
          label={`Gap ${side}`}
          unit={unit}
          value={Number((side === "above" ? above : below).toFixed(6))}
          low={-10000}
          high={10000}
          onLive={(value) => value !== null && liveEdit(gap(side, value))}
          onChange={(value) => value !== null && edit(gap(side, value), `gap ${side}`)}
        />
      ))}
    </>
  );
}

function Foot(props: { model: Model; state: ModelState }) {
  const { plan, edit, liveEdit, tool, setTool } = useSheetState();
  const { model, state } = props;
  const unit = plan.units ?? "mm";
  const tall = state.size[2] ?? 1;
  const slab = state.slab;
  return (
    <>
      <Head>
        Foot<span>{state.undercut > 0.005 ? `${(100 * state.undercut).toFixed(0)} % undercut` : "no undercut"}</span>
      </Head>
      {slab !== null && (
        <Buttons>
          <Quiet onPress={() => edit({ do: "cut_off", model: model.id, height: slab }, "cut off")}>
            Cut off the plain slab, {lengthText(slab, unit, "measured")} {unit}
          </Quiet>
        </Buttons>
      )}
      <NumberField
        label="Cut off below"
        unit={unit}
        value={null}
        empty="height"
        over={0}
        high={Math.max(tall - 1e-6, 1e-6)}
        step={0.5}
        help="everything lower than this over its foot goes"
        onChange={(value) => value !== null && edit({ do: "cut_off", model: model.id, height: value }, "cut off")}
      />
      <NumberField
        label="Sink"
        unit={unit}
        value={model.placement?.sink ?? 0}
        low={0}
        high={Math.max(tall - 1e-6, 1e-6)}
        step={1}
        help="so much of its foot is not cut"
        onLive={(value) => value !== null && liveEdit({ do: "sink_model", model: model.id, depth: value })}
        onChange={(value) => value !== null && edit({ do: "sink_model", model: model.id, depth: value }, "sink")}
      />
      <Buttons>
        <ToggleQuiet isSelected={tool === "cut off"} onChange={(on) => setTool(on ? "cut off" : "none")}>
          Drag the cut-off
        </ToggleQuiet>
        <Quiet onPress={() => edit({ do: "sink_half", model: model.id }, "sink half")}>Sink half</Quiet>
      </Buttons>
    </>
  );
}

function Angles(props: { model: Model }) {
  const { edit, liveEdit } = useSheetState();
  const turn = props.model.placement?.turn ?? [0, 0, 0];
  const change = (axis: number, value: number): EditOf<"set_turn"> => ({
    do: "set_turn",
    model: props.model.id,
    angles: [axis === 0 ? value : turn[0], axis === 1 ? value : turn[1], axis === 2 ? value : turn[2]],
  });
  return (
    <Folded title="Any angle" short={turn.map((value) => `${Number(value.toFixed(2))}°`).join(" ")}>
      {AXES.map((name, axis) => (
        <NumberField
          key={name}
          label={`About ${name}`}
          kind="angle"
          suffix="°"
          unit="mm"
          value={Number((turn[axis] ?? 0).toFixed(6))}
          low={-360}
          high={360}
          step={5}
          onLive={(value) => value !== null && liveEdit(change(axis, value))}
          onChange={(value) => value !== null && edit(change(axis, value), "turn")}
        />
      ))}
    </Folded>
  );
}

function Copies(props: { model: Model }) {
  const { plan, edit, liveEdit } = useSheetState();
  const copies = props.model.copies as CopiesOf;
  const change = (part: Partial<typeof copies>): EditOf<"copies_of_model"> => ({
    do: "copies_of_model",
    model: props.model.id,
    copies: { ...copies, ...part },
  });
  const count = (key: "columns" | "rows", label: string) => (
    <NumberField
      label={label}
      kind="plain"
      unit="mm"
      value={copies[key]}
      low={1}
      high={50}
      onLive={(value) => value !== null && liveEdit(change({ [key]: Math.round(value) }))}
      onChange={(value) => value !== null && edit(change({ [key]: Math.round(value) }), "copies")}
    />
  );
  const gap = (axis: 0 | 1, label: string) => (
    <NumberField
      label={label}
      unit={plan.units ?? "mm"}
      value={copies.gap[axis]}
      low={0}
      high={1000}
      onChange={(value) =>
        value !== null &&
        edit(change({ gap: copies.gap.map((old, k) => (k === axis ? value : old)) as [number, number] }), "gap")
      }
    />
  );
  return (
    <Folded title="Copies" short={`${copies.columns} × ${copies.rows}`}>
      {count("columns", "Columns, along X")}
      {count("rows", "Rows, along Y")}
      {gap(0, "Gap X")}
      {gap(1, "Gap Y")}
      <Buttons>
        <Quiet onPress={() => edit({ do: "copy_model", model: props.model.id }, "one more")}>
          One more, placed on its own
        </Quiet>
      </Buttons>
    </Folded>
  );
}

function SaveAs(props: { model: Model }) {
  const { job } = useSheetState();
  const { data: formats } = useFormats();
  const [said, setSaid] = useState("");
  const save = (suffix: string) => {
    setSaid(`writing ${suffix}…`);
    exportModel(job.id, props.model.id, suffix)
      .then((path) => {
        setSaid("");
        const link = document.createElement("a");
        link.href = path;
        link.download = `${props.model.name}${suffix}`;
        link.click();
      })
      .catch((reason: Error) => setSaid(reason.message));
  };
  return (
    <Folded title="Save the mesh" short="as placed">
      <Buttons>
        {formats?.written.map((suffix) => (
          <Quiet key={suffix} onPress={() => save(suffix)}>
            {suffix.slice(1).toUpperCase()}
          </Quiet>
        ))}
      </Buttons>
      {said && <Note role="status">{said}</Note>}
    </Folded>
  );
}

export function ModelSettings(props: { model: Model }) {
  const { job, derived, problem } = useSheetState();
  const { model } = props;
  const state = placedOf(derived, model.id);
  const came = job.meshes[model.mesh ?? ""]?.facts;
  if (!state)
    return (
      <>
        <h2>{model.name}</h2>
        <p className="sub" role="status">
          its mesh is being read…
        </p>
      </>
    );
  return (
    <>
      <h2>{model.name}</h2>
      <p className="sub">
        {came
          ? `${came.format} · as it came ${came.size.map((value) => Number(value.toPrecision(5))).join(" × ")}`
          : ""}
      </p>
      {state.state === "working" && (
        <Note role="status">
          {model.composition ? "its surface is being composed…" : "its mesh is being worked on…"}
        </Note>
      )}
      {problem && <Said role="alert">{problem}</Said>}
      {model.composition ? (
        <>
          <ReliefSettings model={model} composition={model.composition} />
          <Place model={model} state={state} />
          <SaveAs model={model} />
        </>
      ) : (
        <MeshSettings model={model} state={state} />
      )}
    </>
  );
}

/** What is set of a mesh that was imported. */
function MeshSettings(props: { model: Model; state: ModelState }) {
  const { model, state } = props;
  return (
    <>
      <Unit model={model} state={state} />
      <Size model={model} state={state} />
      <BarPlacement model={model} state={state} />
      <WayUp model={model} />
      <Place model={model} state={state} />
      <Foot model={model} state={state} />
      <div style={{ marginTop: 10 }} />
      <MeshCare model={model} state={state} />
      <Angles model={model} />
      <Copies model={model} />
      <SaveAs model={model} />
    </>
  );
}

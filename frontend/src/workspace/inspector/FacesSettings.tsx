/** What the setups of a part of several faces share: parting, overruns, border, tabs, and where the stock is found again. */
import { useState } from "react";
import type { EditOf, FaceTab, Faces } from "../../api/types";
import { lengthText } from "../../lib/numbers";
import { Choose, Quiet, Said } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { setupOf, useSheetState } from "../state";
import { TurnDrawing } from "../TurnRow";
import { SlideSettings } from "./SlideSettings";
import { Buttons, Folded, Head, Note } from "./shared";
import { overrunOf, sideOf } from "../../setups/kinds";

const CORNERS = {
  "front-left": "front left",
  "front-right": "front right",
  "back-left": "back left",
  "back-right": "back right",
};

function Overruns() {
  const { plan, derived, edit, liveEdit } = useSheetState();
  const unit = plan.units ?? "mm";
  return plan.setups.map((setup) => {
    const least = derived.faces?.smallest[setup.id];
    return (
      <div key={setup.id}>
        <NumberField
          label={`Overrun, ${setup.name.split(" · ")[0]}`}
          unit={unit}
          value={overrunOf(setup)}
          low={0}
          high={1000}
          help="how far past the parting this side cuts"
          onLive={(value) => value !== null && liveEdit({ do: "set_overrun", setup: setup.id, overrun: value })}
          onChange={(value) =>
            value !== null && edit({ do: "set_overrun", setup: setup.id, overrun: value }, "overrun")
          }
        />
        {least !== undefined && (
          <Note>
            This mesh needs {lengthText(least, unit, "measured")} {unit} or more.{" "}
            {overrunOf(setup) < least && (
              <Quiet
                onPress={() =>
                  edit({ do: "set_overrun", setup: setup.id, overrun: Math.ceil(10 * least + 1) / 10 }, "overrun")
                }
              >
                Set it
              </Quiet>
            )}
          </Note>
        )}
      </div>
    );
  });
}

function TabForm(props: { tab: FaceTab }) {
  const { plan, edit, liveEdit } = useSheetState();
  const unit = plan.units ?? "mm";
  const { tab } = props;
  const change = (what: Partial<FaceTab>): EditOf<"change_face_tab"> => ({
    do: "change_face_tab",
    tab: tab.id,
    change: what,
  });
  const number = (
    label: string,
    value: number,
    made: (value: number) => Partial<FaceTab>,
    low: number,
    help?: string,
  ) => (
    <NumberField
      label={label}
      unit={unit}
      value={value}
      low={low}
      high={10000}
      {...(help ? { help } : {})}
      onLive={(next) => next !== null && liveEdit(change(made(next)))}
      onChange={(next) => next !== null && edit(change(made(next)), "tab")}
    />
  );
  const at = tab.at as [number, number, number];
  const placed = (axis: number) => (value: number) =>
    ({ at: at.map((old, k) => (k === axis ? value : old)) }) as Partial<FaceTab>;
  return (
    <>
      <Choose
        label="Shape"
        value={tab.shape ?? "bar"}
        choices={{ bar: "bar", round: "round" }}
        onChange={(shape) => edit(change({ shape: shape as "bar" }), "tab")}
      />
      {number("At X", at[0], placed(0), -10000)}
      {number("At Y", at[1], placed(1), -10000)}
      {number("Middle over the underside", at[2], placed(2), -10000)}
      <NumberField
        label="Direction"
        unit={unit}
        kind="plain"
        value={tab.angle ?? 0}
        low={-360}
        high={360}
        help="degrees from X towards Y, out of the part"
        onChange={(value) => value !== null && edit(change({ angle: value }), "tab")}
      />
      {tab.shape !== "round" && number("Width", tab.width ?? 8, (width) => ({ width }), 0.5)}
      {number(
        tab.shape === "round" ? "Diameter" : "Thickness",
        tab.thickness ?? 4,
        (thickness) => ({ thickness }),
        0.5,
      )}
      {number("Into the part", tab.inward ?? 2, (inward) => ({ inward }), 0)}
    </>
  );
}

function Tabs(props: { faces: Faces }) {
  const { plan, derived, edit } = useSheetState();
  const [open, setOpen] = useState<string | null>(null);
  const tabs = (props.faces.tabs ?? []) as FaceTab[];
  const force = derived.faces;
  const unit = plan.units ?? "mm";
  const start = tabs[0]?.at ?? [plan.stock.length / 2, plan.stock.width / 2, props.faces.parting];
  return (
    <Folded title="Tabs" short={force ? `${tabs.length} · hold ${Math.round(force.hold)} N` : `${tabs.length}`}>
      <Note>
        {force && `They hold ${Math.round(force.hold)} N against ${Math.round(force.push)} N of the cutter. `}
        Drag them in the view, in Place.
      </Note>
      {tabs.map((tab, k) => (
        <div key={tab.id} data-testid={`face-${tab.id}`}>
          <Buttons>
            <Quiet aria-expanded={open === tab.id} onPress={() => setOpen(open === tab.id ? null : tab.id)}>
              {k + 1}: X {lengthText(tab.at[0] as number, unit, "measured")} Y{" "}
              {lengthText(tab.at[1] as number, unit, "measured")} Z {lengthText(tab.at[2] as number, unit, "measured")}
            </Quiet>
            <Quiet
              aria-label={`Take out tab ${k + 1}`}
              onPress={() => edit({ do: "drop_face_tab", tab: tab.id }, "take a tab out")}
            >
              ×
            </Quiet>
          </Buttons>
          {open === tab.id && <TabForm tab={tab} />}
        </div>
      ))}
      <Buttons>
        <Quiet onPress={() => edit({ do: "add_face_tab", at: start, angle: 0 }, "add a tab")}>+ Add a tab</Quiet>
      </Buttons>
    </Folded>
  );
}

function RegistrationSettings(props: { faces: Faces }) {
  const { plan, derived, edit, liveEdit } = useSheetState();
  const unit = plan.units ?? "mm";
  const now = props.faces.registration ?? {};
  const change = (what: Record<string, unknown>): EditOf<"change_faces"> => ({
    do: "change_faces",
    change: { registration: what },
  });
  const number = (
    label: string,
    key: "dx" | "dy" | "rotation" | "diameter" | "depth" | "inset",
    low: number,
    plain = false,
  ) => (
    <NumberField
      label={label}
      unit={unit}
      {...(plain ? { kind: "plain" as const } : {})}
      value={Number(now[key] ?? 0)}
      low={low}
      high={1000}
      onLive={(value) => value !== null && liveEdit(change({ [key]: value }))}
      onChange={(value) => value !== null && edit(change({ [key]: value }), "registration")}
    />
  );
  const step = derived.faces?.step ?? 0;
  return (
    <>
      <Head>Found again after the turn</Head>
      <Choose
        label="By"
        value={now.by ?? "stops"}
        choices={{ stops: "stops at a corner", dowels: "two dowels", centre: "the middle of the stock" }}
        onChange={(by) => edit(change({ by }), "registration")}
      />
      {(now.by ?? "stops") === "stops" && (
        <Choose
          label="Corner at the stops"
          value={now.corner ?? "front-left"}
          choices={CORNERS}
          onChange={(corner) => edit(change({ corner }), "registration")}
        />
      )}
      {now.by === "dowels" && (
        <>
          {number("Dowel diameter", "diameter", 0.1)}
          {number("Into the bed", "depth", 0.1)}
          {number("From the ends", "inset", 0)}
          <Buttons>
            <Quiet
              onPress={() => edit({ do: "drill_dowels", setup: plan.setups[0]?.id ?? "" }, "drill the dowel holes")}
            >
              + Drill the holes in the first setup
            </Quiet>
          </Buttons>
        </>
      )}
      <Folded
        title="Registration error"
        short={step > 0 ? `step ${lengthText(step, unit, "measured")}` : "none assumed"}
      >
        <Note>
          {step > 0
            ? `With this error the faces meet with a step of up to ${lengthText(step, unit, "measured")} ${unit}.`
            : "Type an error to see the step that it would make where the faces meet."}
        </Note>
        {number("Along X", "dx", -10)}
        {number("Along Y", "dy", -10)}
        {number("Rotation, degrees", "rotation", -10, true)}
      </Folded>
    </>
  );
}

/** The settings of a turn-over row. */
export function TurnSettings(props: { id: string }) {
  const { plan, derived, edit, liveEdit, problem } = useSheetState();
  const info = derived.setups.find((item) => item.id === props.id);
  const unit = plan.units ?? "mm";
  const faces = plan.faces as Faces | null | undefined;
  if (!info?.turn) return null;
  if (info.turn.slide) return <SlideSettings info={info} />;
  const number = (
    label: string,
    key: "parting" | "parting_y" | "border",
    value: number,
    help: string,
    over = false,
  ) => (
    <NumberField
      label={label}
      unit={unit}
      value={value}
      {...(over ? { over: 0 } : { low: -10000 })}
      high={10000}
      help={help}
      onLive={(next) => next !== null && liveEdit({ do: "change_faces", change: { [key]: next } })}
      onChange={(next) => next !== null && edit({ do: "change_faces", change: { [key]: next } }, label.toLowerCase())}
    />
  );
  const sideways = plan.setups.some((setup) => !["top", "bottom"].includes(sideOf(setup)));
  return (
    <>
      <h2>Turn over</h2>
      <p className="sub">what hands do before {setupOf(plan, props.id).name}</p>
      <div style={{ display: "flex", gap: 10, alignItems: "center" }}>
        <TurnDrawing axis={info.turn.axis} angle={info.turn.angle} size={44} />
        <Note>
          {info.turn.words[0]?.toUpperCase()}
          {info.turn.words.slice(1)}.{" "}
          {faces ? `${info.turn.found[0]?.toUpperCase() ?? ""}${info.turn.found.slice(1)}. ` : ""}Then check{" "}
          {info.turn.check}.
        </Note>
      </div>
      {problem && <Said role="alert">{problem}</Said>}
      {!faces ? (
        <Buttons>
          <Quiet onPress={() => edit({ do: "share_faces" }, "one part from several faces")}>
            One part from several faces: set parting, border and tabs
          </Quiet>
        </Buttons>
      ) : (
        <>
          <Head>Parting and border</Head>
          {number("Parting height", "parting", faces.parting, "over the stock's underside; drag the line in the view")}
          {sideways &&
            number(
              "Parting from the front",
              "parting_y",
              faces.parting_y ?? plan.stock.width / 2,
              "where front and back meet",
            )}
          <Overruns />
          {number("Border", "border", faces.border ?? 10, "cut round the outline of the part", true)}
          <Tabs faces={faces} />
          <RegistrationSettings faces={faces} />
        </>
      )}
    </>
  );
}

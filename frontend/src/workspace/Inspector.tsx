/** The settings of the chosen row: most used first, the rest folded. */
import { Disclosure, DisclosurePanel, Button as AriaButton, Heading } from "react-aria-components";
import styled, { useTheme } from "styled-components";
import { useCutters, useStrategies } from "../api/hooks";
import type { Model, Operation, OperationInfo, SettingField } from "../api/types";
import { clock, lengthText } from "../lib/numbers";
import { Choose, Quiet, Said } from "../parts/controls";
import { NumberField } from "../parts/fields";
import { infoOf, setupOf, useSheetState, withOperation } from "./state";

const Panel = styled.section`
  grid-area: inspector; overflow-y: auto; min-height: 0; padding: 12px 14px; background: ${(p) => p.theme.panel}; border-left: 1px solid ${(p) => p.theme.hairline};
  & > h2 { font-weight: 600; font-size: 14px; } & > .sub { color: ${(p) => p.theme.muted}; margin-bottom: 8px; }
`;
const Costs = styled.div`
  display: grid; grid-template-columns: repeat(3, 1fr); border: solid ${(p) => p.theme.hairline}; border-width: 1px 0; padding: 7px 0; margin: 8px 0;
  & dt { font-size: 11.5px; color: ${(p) => p.theme.muted}; } & dd { margin: 0; font: 13px ${(p) => p.theme.mono}; }
`;
const Fold = styled(Disclosure)`
  border-top: 1px solid ${(p) => p.theme.hairline};
  & h3 button { width: 100%; display: flex; justify-content: space-between; border: 0; background: none; padding: 8px 0; font-weight: 600; cursor: pointer; outline: none;
    &[data-focus-visible] { outline: 2px solid ${(p) => p.theme.action}; } }
  & h3 span { font: 11.5px ${(p) => p.theme.mono}; color: ${(p) => p.theme.muted}; font-weight: 400; }
`;
const Turns = styled.div`display: flex; gap: 4px; flex-wrap: wrap; & button { border: 1px solid ${(p) => p.theme.hairline}; }`;

function Folded(props: { title: string; short: string; children: React.ReactNode }) {
  return (
    <Fold>
      <Heading level={3}><AriaButton slot="trigger">{props.title}<span>{props.short}</span></AriaButton></Heading>
      <DisclosurePanel>{props.children}</DisclosurePanel>
    </Fold>
  );
}

const ALONG: Record<string, string> = { low: "low side", centre: "centre", high: "high side" };

function StockSettings() {
  const { plan, derived, live, keep } = useSheetState();
  const unit = plan.units ?? "mm";
  const { stock } = plan;
  const setup = setupOf(plan);
  const zero = setup.zero ?? { x: "low" as const, y: "low" as const, z: "top" as const };
  const size = (key: "length" | "width" | "thickness", label: string) => (
    <NumberField label={label} unit={unit} value={stock[key]} over={0} high={10000} onLive={(value) => value !== null && live({ ...plan, stock: { ...stock, [key]: value } })}
      onChange={(value) => value !== null && keep({ ...plan, stock: { ...stock, [key]: value } }, `stock ${key}`)} />
  );
  const place = (change: Partial<typeof zero>) => keep({ ...plan, setups: plan.setups.map((item) => ({ ...item, zero: { ...zero, ...change } })) }, "zero");
  const woods = ["lime", "oak", "ash", "walnut", "cherry", "sycamore", "softwood", "modelling board", "foam", "wax", "acrylic", "HDPE", "brass", "aluminium"];
  return (
    <>
      <h2>00 Stock</h2><p className="sub">what is on the machine</p>
      {size("length", "Length, X")}{size("width", "Width, Y")}{size("thickness", "Thickness, Z")}
      <Choose label="Material" value={stock.material ?? "lime"} choices={Object.fromEntries([...new Set([stock.material ?? "lime", ...woods])].map((name) => [name, name]))}
        onChange={(material) => keep({ ...plan, stock: { ...stock, material } }, "material")} />
      <p className="sub" style={{ marginTop: 12 }}>Work zero: {infoOf(derived)?.zero}</p>
      <Choose label="Zero along X" value={zero.x ?? "low"} choices={{ low: "left", centre: "centre", high: "right" }} onChange={(x) => place({ x: x as "low" })} />
      <Choose label="Zero along Y" value={zero.y ?? "low"} choices={{ low: "front", centre: "centre", high: "back" }} onChange={(y) => place({ y: y as "low" })} />
      <Choose label="Zero along Z" value={zero.z ?? "top"} choices={{ top: "top face", bottom: "underside" }} onChange={(z) => place({ z: z as "top" })} />
      <Folded title="Setup" short={`clear ${lengthText(setup.clearance ?? 5, unit)}`}>
        <NumberField label="Clearance over stock" unit={unit} value={setup.clearance ?? 5} over={0} high={500}
          onChange={(value) => value !== null && keep({ ...plan, setups: plan.setups.map((item) => ({ ...item, clearance: value })) }, "clearance")} />
      </Folded>
      <Folded title="Accuracy" short={`${plan.tolerance ?? 0.01} · pitch ${derived.pitch}`}>
        <NumberField label="Tolerance" unit={unit} value={plan.tolerance ?? 0.01} low={0.0005} high={1} step={0.005} onChange={(value) => value !== null && keep({ ...plan, tolerance: value }, "tolerance")} />
        <NumberField label="Pitch of the block" unit={unit} value={plan.pitch ?? null} empty={lengthText(derived.pitch, unit)} low={0.02} high={10} step={0.05} onChange={(pitch) => keep({ ...plan, pitch }, "pitch")} />
      </Folded>
    </>
  );
}

function ModelSettings(props: { model: Model }) {
  const { plan, job, derived, live, keep } = useSheetState();
  const { model } = props;
  const unit = plan.units ?? "mm";
  const p = model.placement ?? {};
  const size = derived.models[model.id]?.size ?? [0, 0, 0];
  const facts = job.meshes[model.mesh]?.facts;
  const with_ = (change: Partial<NonNullable<Model["placement"]>>) => ({ ...plan, models: (plan.models ?? []).map((item) => (item.id === model.id ? { ...item, placement: { ...p, ...change } } : item)) });
  const turn = (axis: number, by: number) => {
    const turned = [...(p.turn ?? [0, 0, 0])] as [number, number, number];
    turned[axis] = ((turned[axis] as number) + by) % 360;
    keep(with_({ turn: turned }), "turn");
  };
  const mirror = p.mirror ?? [false, false, false];
  const align = p.align ?? ["centre", "centre"];
  const offset = p.offset ?? [0, 0];
  const place = (axis: 0 | 1, name: string) => (
    <>
      <Choose label={`Lies along ${name}`} value={align[axis]} choices={ALONG} onChange={(value) => keep(with_({ align: align.map((old, k) => (k === axis ? value : old)) as typeof align }), "place")} />
      <NumberField label={`Shifted along ${name}`} unit={unit} value={offset[axis]} low={-10000} high={10000} onLive={(value) => value !== null && live(with_({ offset: offset.map((old, k) => (k === axis ? value : old)) as typeof offset }))}
        onChange={(value) => value !== null && keep(with_({ offset: offset.map((old, k) => (k === axis ? value : old)) as typeof offset }), "place")} />
    </>
  );
  return (
    <>
      <h2>01 {model.name}</h2>
      <p className="sub">{facts ? `as it came: ${facts.size.map((value) => Number(value.toFixed(2))).join(" × ")}` : ""}</p>
      <NumberField label="Size X" unit={unit} value={size[0] ?? 0} over={0} high={10000} help="Y and Z follow" onLive={(value) => value !== null && live(with_({ size_x: value }))} onChange={(value) => keep(with_({ size_x: value }), "size")} />
      <NumberField label="Height" unit={unit} value={p.height ?? null} empty={lengthText(size[2] ?? 0, unit, 2)} over={0} high={10000} help="on its own; empty means in proportion" onLive={(value) => live(with_({ height: value }))} onChange={(value) => keep(with_({ height: value }), "height")} />
      <NumberField label="Gap above" unit={unit} value={p.gap_above ?? 1} low={-10000} high={10000} help="from the top of the stock down to the model" onLive={(value) => value !== null && live(with_({ gap_above: value }))} onChange={(value) => value !== null && keep(with_({ gap_above: value }), "gap above")} />
      <p className="sub" style={{ marginTop: 10 }}>Quarter turns about</p>
      <Turns>{["X", "Y", "Z"].map((name, axis) => <Quiet key={name} onPress={() => turn(axis, 90)}>{name} +90°</Quiet>)}
        {["X", "Y", "Z"].map((name, axis) => <Quiet key={`m${name}`} onPress={() => keep(with_({ mirror: mirror.map((old, k) => (k === axis ? !old : old)) as typeof mirror }), "mirror")}>{mirror[axis] ? "unmirror" : "mirror"} {name}</Quiet>)}</Turns>
      <div style={{ marginTop: 10 }} />
      <Folded title="Place" short={align.join(" · ")}>{place(0, "X")}{place(1, "Y")}</Folded>
      <Folded title="Any angle" short={(p.turn ?? [0, 0, 0]).map((value) => `${value}°`).join(" ")}>
        {["X", "Y", "Z"].map((name, axis) => (
          <NumberField key={name} label={`About ${name}`} kind="angle" suffix="°" unit={unit} value={(p.turn ?? [0, 0, 0])[axis] ?? 0} low={-360} high={360} step={5}
            onLive={(value) => value !== null && live(with_({ turn: (p.turn ?? [0, 0, 0]).map((old, k) => (k === axis ? value : old)) as [number, number, number] }))}
            onChange={(value) => value !== null && keep(with_({ turn: (p.turn ?? [0, 0, 0]).map((old, k) => (k === axis ? value : old)) as [number, number, number] }), "turn")} />
        ))}
      </Folded>
    </>
  );
}

function CostCurve(props: { info: OperationInfo; stepover: number }) {
  const theme = useTheme();
  const { plan } = useSheetState();
  const curve = props.info.curve ?? [];
  if (curve.length < 2 || !props.info.estimate) return null;
  const last = (curve.at(-1) as [number, number])[0];
  const most = Math.max((curve.find(([step]) => step > last / 12) ?? (curve[0] as [number, number]))[1], props.info.estimate.seconds * 1.15);
  const x = (v: number) => 8 + (262 * v) / last, y = (v: number) => 78 - (66 * v) / most;
  const at = [x(props.stepover), y(Math.max(props.info.estimate.seconds, 1))] as const;
  const inside = at[0] > 4 && at[0] < 280;
  return (
    <svg viewBox="0 0 288 94" width="100%" role="img" aria-label="Time over stepover" style={{ font: `10px ${theme.mono}` }}>
      <path d="M8 8 V78 H280" fill="none" stroke={theme.hairline} />
      <path d={`M ${curve.filter(([, t]) => t <= most).map(([s, t]) => `${x(s).toFixed(1)} ${y(t).toFixed(1)}`).join(" L ")}`} fill="none" stroke={theme.action} strokeWidth={1.4} />
      {inside && <circle cx={at[0]} cy={at[1]} r={4} fill={theme.action} />}
      {inside && <text x={Math.min(at[0] + 8, 190)} y={Math.max(at[1] - 6, 10)} fill={theme.ink}>{lengthText(props.stepover, plan.units ?? "mm")} → {clock(props.info.estimate.seconds)}</text>}
      <text x={12} y={10} fill={theme.muted}>time</text><text x={230} y={90} fill={theme.muted}>stepover</text>
    </svg>
  );
}

function Setting(props: { name: string; field: SettingField; operation: Operation }) {
  const { plan, live, keep } = useSheetState();
  const { name, field, operation } = props;
  const value = operation.settings[name] ?? field.default;
  const changed = (next: number | string | boolean) => withOperation(plan, operation.number, { settings: { ...operation.settings, [name]: next } });
  if (field.names) return <Choose label={field.title} value={String(value)} choices={field.names} onChange={(next) => keep(changed(next), field.title.toLowerCase())} />;
  const length = field.unit === "mm";
  const limits = { ...(field.minimum !== undefined && { low: field.minimum }), ...(field.exclusiveMinimum !== undefined && { over: field.exclusiveMinimum }), ...(field.maximum !== undefined && { high: field.maximum }) };
  return (
    <NumberField label={field.title} help={field.description} value={Number(value)} unit={plan.units ?? "mm"} kind={length ? "length" : "angle"} {...(length ? {} : { suffix: field.unit ?? "" })}
      step={field.step ?? 1} {...limits} onLive={(next) => next !== null && live(changed(next))} onChange={(next) => next !== null && keep(changed(next), field.title.toLowerCase())} />
  );
}

function OperationSettings(props: { operation: Operation }) {
  const { plan, derived, keep, problem } = useSheetState();
  const { operation } = props;
  const unit = plan.units ?? "mm";
  const { data: strategies } = useStrategies();
  const { data: cutters } = useCutters();
  const kind = strategies?.find((item) => item.key === operation.strategy);
  const info = infoOf(derived)?.operations.find((item) => item.number === operation.number);
  if (!kind || !cutters) return null;
  const fields = Object.entries(kind.schema.properties);
  const folds = [...new Set(fields.map(([, field]) => field.fold ?? "").filter(Boolean))];
  const usable = cutters.filter((row) => kind.shapes.includes(row.data.shape));
  const mine = usable.find((row) => JSON.stringify(row.data) === JSON.stringify(operation.cutter));
  const choices = Object.fromEntries([...(mine ? [] : [["own", `${operation.cutter.name} (as in job)`]]), ...usable.map((row) => [String(row.id), row.data.name])]);
  const boundary = operation.boundary ?? { kind: "model" as const, margin: null };
  const change = (part: Partial<Operation>, note: string) => keep(withOperation(plan, operation.number, part), note);
  const feed = operation.feed ?? operation.cutter.feed, plunge = operation.plunge_feed ?? operation.cutter.plunge_feed, spindle = operation.spindle ?? operation.cutter.spindle;
  const e = info?.estimate;
  return (
    <>
      <h2>{operation.number} {kind.title}</h2><p className="sub">{kind.summary}</p>
      <Choose label="Cutter" value={mine ? String(mine.id) : "own"} choices={choices} onChange={(id) => { const row = usable.find((item) => String(item.id) === id); if (row) change({ cutter: row.data }, "cutter"); }} />
      <Choose label="Boundary" value={boundary.kind ?? "model"} choices={{ model: "box of model", stock: "whole stock" }} onChange={(key) => change({ boundary: { kind: key as "model", margin: null } }, "boundary")} />
      <NumberField label="Margin" unit={unit} value={boundary.margin ?? null} low={-500} high={500} step={0.5} empty={boundary.kind === "stock" ? "0" : lengthText(operation.cutter.diameter / 2, unit)} help="how far the cutter's centre may pass the boundary"
        onChange={(margin) => change({ boundary: { ...boundary, margin } }, "margin")} />
      {fields.filter(([, field]) => !field.fold).map(([name, field]) => <Setting key={`${operation.number}${name}`} name={name} field={field} operation={operation} />)}
      {problem && <Said role="alert">{problem}</Said>}
      {e && (
        <Costs as="dl">
          {e.scallop !== null ? <div><dt>scallop</dt><dd>{lengthText(e.scallop, unit, 3)}</dd></div> : <div><dt>layers</dt><dd>{e.layers}</dd></div>}
          <div><dt>{info?.seconds === undefined ? "time, about" : "time"}</dt><dd>{clock(info?.seconds ?? e.seconds)}</dd></div>
          <div><dt>lines</dt><dd>{e.lines}</dd></div>
        </Costs>
      )}
      {info && typeof operation.settings.stepover === "number" && <CostCurve info={info} stepover={operation.settings.stepover} />}
      <Folded title="Feed and speed" short={`${feed} / ${plunge} · ${spindle}`}>
        <NumberField label="Feed" kind="plain" suffix="" unit={unit} value={operation.feed ?? null} empty={String(operation.cutter.feed)} over={0} high={100000} step={100} onChange={(value) => change({ feed: value }, "feed")} />
        <NumberField label="Plunge feed" kind="plain" suffix="" unit={unit} value={operation.plunge_feed ?? null} empty={String(operation.cutter.plunge_feed)} over={0} high={100000} step={50} onChange={(value) => change({ plunge_feed: value }, "plunge feed")} />
        <NumberField label="Spindle" kind="plain" suffix="/min" unit={unit} value={operation.spindle ?? null} empty={String(operation.cutter.spindle)} over={0} high={200000} step={500} onChange={(value) => change({ spindle: value }, "spindle")} />
        <p className="sub">Feeds in mm a minute. Empty means as the cutter says.</p>
      </Folded>
      {folds.map((fold) => (
        <Folded key={fold} title={fold} short={fields.filter(([, field]) => field.fold === fold).map(([name]) => operation.settings[name]).join(" · ")}>
          {fields.filter(([, field]) => field.fold === fold).map(([name, field]) => <Setting key={`${operation.number}${name}`} name={name} field={field} operation={operation} />)}
        </Folded>
      ))}
    </>
  );
}

export function Inspector() {
  const { plan, chosen } = useSheetState();
  const model = chosen.kind === "model" ? plan.models?.find((item) => item.id === chosen.id) : undefined;
  const operation = chosen.kind === "operation" ? setupOf(plan).operations.find((item) => item.number === chosen.number) : undefined;
  return (
    <Panel aria-label="Inspector">
      {model ? <ModelSettings model={model} /> : operation ? <OperationSettings key={operation.number} operation={operation} /> : <StockSettings />}
    </Panel>
  );
}

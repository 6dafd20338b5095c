/** The route sheet: stock, model, then numbered operations. */
import { useState } from "react";
import { Button as AriaButton, DropZone, FileTrigger, isFileDropItem, type DropItem } from "react-aria-components";
import styled from "styled-components";
import { proposeOperation, useStrategies } from "../api/hooks";
import type { Calculation, Finding, Model, Operation } from "../api/types";
import { clock, countText, lengthText } from "../lib/numbers";
import { Ask, Button, Foot, Quiet, Said } from "../parts/controls";
import { CutterDrawing } from "../parts/CutterDrawing";
import { Mark } from "../parts/Marks";
import { useUpload } from "../parts/upload";
import { copied, infoOf, moved, setupOf, stateText, useSheetState, withOperation, withOperations } from "./state";

const Side = styled.aside`
  display: flex; flex-direction: column; min-height: 0; background: ${(p) => p.theme.panel}; border-right: 1px solid ${(p) => p.theme.hairline};
`;
const Rows = styled(DropZone)`
  flex: 1; overflow-y: auto; min-height: 0; outline: none;
  &[data-drop-target] { box-shadow: inset 0 0 0 2px ${(p) => p.theme.action}; }
`;
const Line = styled.div<{ $chosen?: boolean; $off?: boolean }>`
  display: grid; grid-template-columns: 34px 22px 1fr auto; gap: 0 8px; align-items: start; padding: 9px 12px 9px 14px; position: relative;
  border-bottom: 1px solid ${(p) => p.theme.hairline}; background: ${(p) => (p.$chosen ? p.theme.chosen : "none")};
  box-shadow: ${(p) => (p.$chosen ? `inset 3px 0 0 ${p.theme.action}` : "none")};
  & > * { opacity: ${(p) => (p.$off ? 0.5 : 1)}; }
  & .number { font: 12px/18px ${(p) => p.theme.mono}; color: ${(p) => p.theme.muted}; }
  & .key { font: 11.5px/16px ${(p) => p.theme.mono}; color: ${(p) => p.theme.muted}; }
  & .right { text-align: right; font: 11.5px/18px ${(p) => p.theme.mono}; max-width: 112px; }
  & .state { font: 11.5px/15px ${(p) => p.theme.text}; color: ${(p) => p.theme.muted}; }
  & .wide { grid-column: 3 / -1; }
  & > .number { grid-area: 1 / 1; } & > svg { grid-area: 1 / 2 / span 2; }
`;
const Pick = styled(AriaButton)`
  border: 0; background: none; text-align: left; padding: 0; cursor: pointer; font-weight: 600; outline: none; grid-area: 1 / 3;
  &::after { content: ""; position: absolute; inset: 0; }
  &[data-focus-visible]::after { outline: 2px solid ${(p) => p.theme.action}; outline-offset: -2px; }
`;
const Tools = styled.div`
  grid-column: 3 / -1; display: flex; flex-wrap: wrap; gap: 0 2px; position: relative; z-index: 1; margin: 4px 0 -4px -5px;
  & button { font-size: 12px; }
`;
const SetupLine = styled.div`
  display: flex; justify-content: space-between; padding: 8px 14px; background: ${(p) => p.theme.ground}; font-weight: 600; font-size: 12px;
  border-bottom: 1px solid ${(p) => p.theme.hairline};
  & .time { font: 12px ${(p) => p.theme.mono}; color: ${(p) => p.theme.muted}; }
`;
const Fit = styled.div`
  grid-column: 3 / -1; display: grid; grid-template-columns: 14px 1fr 112px; gap: 3px 6px; align-items: center; margin-top: 5px;
  font: 11.5px ${(p) => p.theme.mono};
  & .bar { height: 8px; border: 1px solid ${(p) => p.theme.hairline}; position: relative; background: ${(p) => p.theme.panel}; overflow: hidden; }
  & .bar i { position: absolute; top: 0; bottom: 0; background: ${(p) => p.theme.fit}; }
  & .bar.out i { background: ${(p) => p.theme.stop}; }
`;
const Told = styled.div`
  grid-column: 3 / -1; display: flex; gap: 6px; align-items: baseline; font-size: 12px; margin-top: 4px; position: relative; z-index: 1;
`;
const Sum = styled.div`
  display: flex; gap: 14px; align-items: center; padding: 9px 14px; border-top: 1px solid ${(p) => p.theme.hairline}; background: ${(p) => p.theme.ground};
  & span { display: flex; gap: 5px; align-items: center; }
`;
const Act = styled.div`
  padding: 9px 14px; border-top: 1px solid ${(p) => p.theme.hairline}; display: grid; gap: 6px;
  & .bar { height: 6px; border: 1px solid ${(p) => p.theme.hairline}; } & .bar i { display: block; height: 100%; background: ${(p) => p.theme.action}; }
  & .line { display: flex; justify-content: space-between; align-items: center; font-size: 12px; gap: 8px; }
`;

function Findings(props: { row: string; list: Finding[] }) {
  return <>{props.list.filter((finding) => finding.row === props.row).map((finding) => (
    <Told key={finding.code} title={finding.way_out}><Mark level={finding.level} size={10} /><span>{finding.text}: {finding.way_out}.</span></Told>
  ))}</>;
}

function FitBars(props: { model: Model }) {
  const { plan, derived } = useSheetState();
  const placed = derived.models[props.model.id];
  if (!placed) return null;
  const stock = [plan.stock.length, plan.stock.width, plan.stock.thickness];
  return (
    <Fit>
      {["X", "Y", "Z"].map((name, k) => {
        const all = stock[k] as number, low = placed.low[k] as number, high = placed.high[k] as number;
        const out = low < -1e-6 || high > all + 1e-6;
        const left = Math.max(Math.min((100 * low) / all, 98), 0), right = Math.max(100 - (100 * high) / all, 0);
        return [
          <span key={name}>{name}</span>,
          <div key={`${name}bar`} className={out ? "bar out" : "bar"} role="img" aria-label={`${name}: ${out ? "does not fit" : "fits"}`}>
            <i style={{ left: `${left}%`, right: `${Math.min(right, 98 - left)}%` }} />
          </div>,
          <span key={`${name}size`}>{lengthText(high - low, plan.units ?? "mm", 1)} / {lengthText(all, plan.units ?? "mm", 1)}</span>,
        ];
      })}
    </Fit>
  );
}

function OperationRow(props: { operation: Operation; findings: Finding[] }) {
  const sheet = useSheetState();
  const { operation } = props;
  const { plan, derived, chosen, choose, keep } = sheet;
  const info = infoOf(derived)?.operations.find((item) => item.number === operation.number);
  const mine = chosen.kind === "operation" && chosen.number === operation.number;
  const operations = setupOf(plan).operations;
  const change = (list: Operation[], note: string) => keep(withOperations(plan, list), note);
  const seconds = info?.seconds ?? info?.estimate?.seconds;
  return (
    <Line $chosen={mine} $off={!operation.on} data-testid={`operation-${operation.number}`}>
      <span className="number">{operation.number}</span>
      <CutterDrawing cutter={operation.cutter} height={32} />
      <Pick onPress={() => choose({ kind: "operation", number: operation.number })}>{info?.title ?? operation.strategy}</Pick>
      <div className="right">
        {seconds !== undefined && <div title={info?.seconds === undefined ? "estimated" : "calculated"}>{info?.seconds === undefined ? "≈ " : ""}{clock(seconds)}</div>}
      </div>
      <span className="key" style={{ gridColumn: 3 }}>{info?.line}</span>
      <span className="state right" data-state={info?.state}>{stateText(info, sheet)}</span>
      <Findings row={String(operation.number)} list={props.findings} />
      {mine && (
        <Tools>
          <Quiet aria-label="Move up" onPress={() => { change(moved(operations, operation.number, -1), "move"); }}>↑</Quiet>
          <Quiet aria-label="Move down" onPress={() => { change(moved(operations, operation.number, 1), "move"); }}>↓</Quiet>
          <Quiet onPress={() => change(copied(operations, operation.number), "copy operation")}>Copy</Quiet>
          <Quiet onPress={() => keep(withOperation(plan, operation.number, { on: !operation.on }), "switch")}>{operation.on ? "Switch off" : "Switch on"}</Quiet>
          <Quiet onPress={() => keep(withOperation(plan, operation.number, { shown: !operation.shown }), "show")}>{operation.shown ? "Hide" : "Show"}</Quiet>
          <Quiet onPress={() => { choose({ kind: "stock" }); change(operations.filter((item) => item !== operation), "delete operation"); }}>Delete</Quiet>
        </Tools>
      )}
    </Line>
  );
}

function AddOperation() {
  const { job, plan, keep, choose } = useSheetState();
  const { data: strategies } = useStrategies();
  const [open, setOpen] = useState(false);
  const [problem, setProblem] = useState("");
  const add = (key: string) => {
    proposeOperation(job.id, key).then((operation) => {
      setOpen(false);
      keep(withOperations(plan, [...setupOf(plan).operations, operation]), "add operation");
      choose({ kind: "operation", number: operation.number });
    }).catch((reason: Error) => setProblem(reason.message));
  };
  return (
    <>
      <Quiet onPress={() => setOpen(true)}>+ Add operation</Quiet>
      <Ask title="Add an operation" open={open} onClose={() => setOpen(false)}>
        {strategies?.map((item) => (
          <Button key={item.key} onPress={() => add(item.key)} style={{ textAlign: "left", padding: "8px 11px" }}><b>{item.title}</b> — {item.summary}</Button>
        ))}
        {problem && <Said>{problem}</Said>}
        <Foot><Button onPress={() => setOpen(false)}>Cancel</Button></Foot>
      </Ask>
    </>
  );
}

function CalculateBar(props: { calculation: Calculation | null; onCalculate: () => void; onCancel: () => void }) {
  const { busy, derived, problem, plan } = useSheetState();
  const info = infoOf(derived);
  const current = Boolean(info?.summary);
  const c = props.calculation;
  const empty = setupOf(plan).operations.filter((item) => item.on).length === 0;
  return (
    <Act>
      {problem && <Said role="alert">{problem}</Said>}
      {busy && c ? (
        <>
          <div className="line">
            <span>{c.state === "waiting" ? "waiting for a worker" : `${c.note || "starting"} · ${Math.round(c.fraction * 100)} %`}{c.left ? ` · ${clock(c.left)} left` : ""}</span>
            <Button onPress={props.onCancel}>Cancel</Button>
          </div>
          <div className="bar" role="progressbar" aria-valuenow={Math.round(c.fraction * 100)} aria-label="Calculation"><i style={{ width: `${100 * c.fraction}%` }} /></div>
        </>
      ) : (
        <div className="line">
          <span>{current ? "all is up to date" : c?.state === "cancelled" ? "cancelled; what was done is kept" : empty ? "no operation is on" : "not all is up to date"}</span>
          <Button $main={!current} isDisabled={current || empty} onPress={props.onCalculate}>Calculate</Button>
        </div>
      )}
    </Act>
  );
}

export function RouteSheet(props: { calculation: Calculation | null; onCalculate: () => void; onCancel: () => void }) {
  const { job, plan, derived, chosen, choose, keep } = useSheetState();
  const info = infoOf(derived);
  const findings = [...derived.findings, ...(info?.findings ?? [])];
  const unit = plan.units ?? "mm";
  const upload = useUpload();
  const bring = (file: File) => {
    void upload.bring(file).then((mesh) => {
      if (!mesh) return;
      const model: Model = { id: "m1", name: mesh.name.replace(/\.[^.]+$/, ""), mesh: mesh.digest, shown: true,
        placement: { mirror: [false, false, false], turn: [0, 0, 0], unit: 1, size_x: null, height: null, align: ["centre", "centre"], offset: [0, 0], gap_above: 1 } };
      keep({ ...plan, models: [model] }, "bring in a mesh");
      choose({ kind: "model", id: "m1" });
    });
  };
  const dropped = (items: DropItem[]) => {
    const item = items.find(isFileDropItem);
    if (item) void item.getFile().then(bring);
  };
  const placed = Object.values(derived.models)[0];
  const total = info?.operations.reduce((sum, item) => sum + (item.state === "off" ? 0 : (item.seconds ?? item.estimate?.seconds ?? 0)), 0) ?? 0;
  const count = (level: Finding["level"]) => findings.filter((finding) => finding.level === level).length;
  const { stock } = plan;
  return (
    <Side aria-label="Route sheet">
      <Rows aria-label="Route sheet, drop a mesh here" onDrop={(event) => dropped(event.items)}>
        <Line $chosen={chosen.kind === "stock"} data-testid="row-stock">
          <span className="number">00</span><span />
          <Pick onPress={() => choose({ kind: "stock" })}>Stock</Pick>
          <div className="right state">{placed && <>gap {lengthText(stock.thickness - (placed.high[2] as number), unit, 1)} above<br />{lengthText(placed.low[2] as number, unit, 1)} below</>}</div>
          <span className="key wide">{stock.material} {[stock.length, stock.width, stock.thickness].map((value) => lengthText(value, unit, 2)).join(" × ")}</span>
          <span className="key wide">zero {info?.zero}</span>
          <Findings row="stock" list={findings} />
        </Line>
        {plan.models?.map((model) => (
          <Line key={model.id} $chosen={chosen.kind === "model"} data-testid="row-model">
            <span className="number">01</span><span />
            <Pick onPress={() => choose({ kind: "model", id: model.id })}>{model.name}</Pick>
            <span className="right state">{countText(job.meshes[model.mesh]?.facts.triangles ?? 0)} triangles</span>
            <FitBars model={model} />
            {job.meshes[model.mesh]?.facts.repairs.map((text) => <Told key={text}><Mark level="note" size={10} /><span>{text}.</span></Told>)}
            <Findings row={model.id} list={findings} />
          </Line>
        ))}
        {!plan.models?.length && (
          <Line><span className="number">01</span><span /><span className="wide">No model yet. Drop an STL file here, or choose one below.</span></Line>
        )}
        {upload.state && <Line><span className="wide">{upload.state}</span></Line>}
        {upload.problem && <Line><Said className="wide" role="alert">{upload.problem}</Said></Line>}
        <SetupLine><span>{setupOf(plan).name}</span><span className="time">{total ? clock(total) : ""}</span></SetupLine>
        {setupOf(plan).operations.map((operation) => <OperationRow key={operation.number} operation={operation} findings={findings} />)}
        <div style={{ padding: "7px 10px", display: "flex", gap: 4 }}>
          <AddOperation />
          <FileTrigger acceptedFileTypes={[".stl"]} onSelect={(files) => files?.[0] && bring(files[0])}>
            <Quiet>{plan.models?.length ? "Replace the mesh" : "+ Bring in a mesh"}</Quiet>
          </FileTrigger>
        </div>
      </Rows>
      <CalculateBar {...props} />
      <Sum aria-label="Findings">
        <span><Mark level="stop" />{count("stop")} stop</span><span><Mark level="caution" />{count("caution")} caution</span>
        <span><Mark level="note" />{count("note")} {count("note") === 1 ? "note" : "notes"}</span>
      </Sum>
    </Side>
  );
}

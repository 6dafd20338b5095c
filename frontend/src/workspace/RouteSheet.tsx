/** The route sheet: stock, model, then numbered operations. */
import { ChooseFile } from "../parts/ChooseFile";
import { memo, useState } from "react";
import { DropZone, isFileDropItem, type DropItem } from "react-aria-components";
import styled from "styled-components";
import { proposeOperation } from "../api/jobs";
import { useFormats, useStrategies } from "../api/shop";
import { placedOf, type Calculation, type Finding, type Operation, type Setup } from "../api/types";
import { clock, lengthText } from "../lib/numbers";
import { totalText } from "../lib/times";
import { Ask, Button, Explained, Foot, Quiet, Said, ToggleQuiet } from "../parts/controls";
import { CutterDrawing } from "../parts/CutterDrawing";
import { Mark } from "../parts/Marks";
import { useUpload } from "../parts/upload";
import { ModelRow } from "./ModelRow";
import { AddSetup, ProposeKind, SetupTools } from "./SetupTools";
import { TileRow } from "./TileRow";
import { joinedOperation, partsOf, totalOf } from "./tiles";
import { TurnRow } from "./TurnRow";
import { Findings, Line, Pick, Tools } from "./rows";
import {
  copied,
  freeNumber,
  infoOf,
  isCurrent,
  moved,
  nextModel,
  setupOf,
  setupWith,
  progressText,
  standText,
  stateText,
  useSheetState,
  withNewBoundary,
  withOperation,
  withOperations,
  withWork,
} from "./state";
import { tilesOf } from "../setups/kinds";

const Side = styled.aside`
  display: flex;
  flex-direction: column;
  min-height: 0;
  background: ${(p) => p.theme.panel};
  border-right: 1px solid ${(p) => p.theme.hairline};
`;
const Rows = styled(DropZone)`
  flex: 1;
  overflow-y: auto;
  min-height: 0;
  outline: none;
  &[data-drop-target] {
    box-shadow: inset 0 0 0 2px ${(p) => p.theme.action};
  }
`;
const SetupLine = styled.div<{ $chosen: boolean }>`
  position: relative;
  display: grid;
  grid-template-columns: 0 0 1fr auto;
  padding: 8px 14px;
  background: ${(p) => (p.$chosen ? p.theme.chosen : p.theme.ground)};
  font-weight: 600;
  font-size: 12px;
  & .zero {
    grid-column: 3 / -1;
    font: 11.5px/16px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
  }
  border-bottom: 1px solid ${(p) => p.theme.hairline};
  & .sum {
    grid-area: 1 / 4;
  }
  & .time {
    font: 12px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
  }
`;
const Sum = styled.div`
  display: flex;
  gap: 14px;
  align-items: center;
  padding: 9px 14px;
  border-top: 1px solid ${(p) => p.theme.hairline};
  background: ${(p) => p.theme.ground};
  & span {
    display: flex;
    gap: 5px;
    align-items: center;
  }
`;
const Act = styled.div`
  padding: 9px 14px;
  border-top: 1px solid ${(p) => p.theme.hairline};
  display: grid;
  gap: 6px;
  & .bar {
    height: 6px;
    border: 1px solid ${(p) => p.theme.hairline};
  }
  & .bar i {
    display: block;
    height: 100%;
    background: ${(p) => p.theme.action};
  }
  & .line {
    display: flex;
    justify-content: space-between;
    align-items: center;
    font-size: 12px;
    gap: 8px;
  }
`;

function OperationRow(props: { operation: Operation; findings: Finding[] }) {
  const sheet = useSheetState();
  const { operation } = props;
  const { plan, derived, chosen, choose, keep, setupId } = sheet;
  const home = setupWith(plan, operation.number)?.id ?? setupId;
  const parts = partsOf(derived, home);
  const info = joinedOperation(parts, operation.number);
  const mine = chosen.kind === "operation" && chosen.number === operation.number;
  const operations = setupOf(plan, home).operations;
  const change = (list: Operation[], note: string) => keep(withOperations(plan, home, list), note);
  const after = parts[0]?.operations.find(
    (item) => item.parent === operation.number && item.number !== operation.number,
  );
  const finer = after && joinedOperation(parts, after.number);
  const took = (item: typeof info) => item?.seconds ?? item?.estimate?.seconds;
  const first = took(info);
  const seconds = first === undefined ? undefined : first + (took(finer) ?? 0);
  const estimated = typeof info?.seconds !== "number";
  return (
    <Line $chosen={mine} $off={!operation.on} data-testid={`operation-${operation.number}`}>
      <span className="number">{operation.number}</span>
      <CutterDrawing
        section={info?.outline ?? []}
        flutes={operation.cutter.flute_length}
        diameter={operation.cutter.diameter}
        height={32}
      />
      <Pick onPress={() => choose({ kind: "operation", number: operation.number })}>
        {info?.title ?? operation.strategy}
      </Pick>
      <div className="right">
        {seconds !== undefined && (
          <div title={estimated ? "estimated" : "calculated"}>
            {estimated ? "≈ " : ""}
            {clock(seconds)}
          </div>
        )}
      </div>
      <span className="key" style={{ gridColumn: 3 }}>
        {info?.line}
      </span>
      <span className="state right" data-state={info?.state}>
        {stateText(info?.state === "current" ? (finer ?? info) : info, parts, sheet)}
      </span>
      {finer && (
        <span className="key wide">
          then {finer.number}: {finer.line}
        </span>
      )}
      {finer && <Findings row={String(finer.number)} list={props.findings} />}
      <Findings row={String(operation.number)} list={props.findings} />
      {mine && (
        <Tools>
          <Quiet
            aria-label="Move up"
            onPress={() => {
              change(moved(operations, operation.number, -1), "move");
            }}
          >
            ↑
          </Quiet>
          <Quiet
            aria-label="Move down"
            onPress={() => {
              change(moved(operations, operation.number, 1), "move");
            }}
          >
            ↓
          </Quiet>
          <Quiet onPress={() => change(copied(operations, operation.number, freeNumber(plan)), "copy operation")}>
            Copy
          </Quiet>
          <Quiet onPress={() => keep(withOperation(plan, operation.number, { on: !operation.on }), "switch")}>
            {operation.on ? "Switch off" : "Switch on"}
          </Quiet>
          <Quiet onPress={() => keep(withOperation(plan, operation.number, { shown: !operation.shown }), "show")}>
            {operation.shown ? "Hide" : "Show"}
          </Quiet>
          <Quiet
            onPress={() => {
              choose({ kind: "stock" });
              change(
                operations.filter((item) => item !== operation),
                "delete operation",
              );
            }}
          >
            Delete
          </Quiet>
        </Tools>
      )}
    </Line>
  );
}

function SetupSection(props: { setup: Setup; first: boolean; findings: Finding[] }) {
  const { plan, derived, chosen, choose } = useSheetState();
  const { setup } = props;
  const info = infoOf(derived, setup.id);
  const parts = tilesOf(setup) ? partsOf(derived, setup.id) : [];
  const time = info?.time;
  const mine = chosen.kind === "setup" && chosen.id === setup.id;
  const several = plan.setups.length > 1;
  return (
    <>
      {info?.turn && <TurnRow info={info} first={props.first} findings={props.findings} />}
      <SetupLine $chosen={mine} data-testid={`setup-${setup.id}`}>
        <Pick onPress={() => choose({ kind: "setup", id: setup.id })}>
          {setup.name}
          {setup.on === false && " · off"}
        </Pick>
        {parts.length > 0 && (
          <div className="sum">
            <span className="time">{clock(totalOf(parts))}</span>
          </div>
        )}
        {parts.length === 0 && time && time.total > 0 && (
          <div className="sum">
            <Explained text={totalText(time)}>
              <span className="time">{clock(time.total)}</span>
            </Explained>
          </div>
        )}
        {several && parts.length === 0 && <span className="zero">zero {info?.zero}</span>}
        {parts.length > 0 && (
          <span className="zero">{parts[0]?.tile?.count} tiles, each with its own zero and files</span>
        )}
        <Findings row={setup.id} list={props.findings} />
        {mine && <SetupTools setup={setup} />}
      </SetupLine>
      {props.setup.operations.map((operation) => (
        <OperationRow key={operation.number} operation={operation} findings={props.findings} />
      ))}
      {parts.map((part) => (
        <TileRow key={part.id} info={part} />
      ))}
    </>
  );
}

function AddOperation() {
  const { job, derived, keep, choose, setupId } = useSheetState();
  const { data: strategies } = useStrategies();
  const [open, setOpen] = useState(false);
  const [problem, setProblem] = useState("");
  const add = (key: string) => {
    proposeOperation(job.id, key)
      .then((operation) => {
        setOpen(false);
        keep((now) => withOperations(now, setupId, [...setupOf(now, setupId).operations, operation]), "add operation");
        choose({ kind: "operation", number: operation.number });
      })
      .catch((reason: Error) => setProblem(reason.message));
  };
  return (
    <>
      <Quiet onPress={() => setOpen(true)}>+ Add operation</Quiet>
      <Ask title="Add an operation" open={open} onClose={() => setOpen(false)}>
        {strategies
          ?.filter((item) => item.kinds.includes(infoOf(derived, setupId)?.works_as ?? "face"))
          .map((item) => (
            <Button key={item.key} onPress={() => add(item.key)} style={{ textAlign: "left", padding: "8px 11px" }}>
              <b>{item.title}</b> — {item.summary}
            </Button>
          ))}
        {problem && <Said>{problem}</Said>}
        <Foot>
          <Button onPress={() => setOpen(false)}>Cancel</Button>
        </Foot>
      </Ask>
    </>
  );
}

interface Calculating {
  calculation: Calculation | null;
  onCalculate: () => void;
  onCancel: () => void;
  automatic: boolean;
  onByItself: (on: boolean) => void;
}

function CalculateBar(props: Calculating) {
  const { busy, derived, problem, plan, progress } = useSheetState();

  const todo = withWork(plan);
  const current = isCurrent(plan, derived),
    stand = standText(plan, derived);
  const c = props.calculation;
  const empty = todo.length === 0;
  return (
    <Act>
      {problem && <Said role="alert">{problem}</Said>}
      {busy && c ? (
        <>
          <div className="line">
            <span>
              {progressText(progress, plan, derived, c.ahead)}
              {progress && ` · ${Math.floor(c.fraction * 100)} %`}
              {c.left ? ` · ${clock(c.left)} left` : ""}
            </span>
            <Button onPress={props.onCancel}>Stop</Button>
          </div>
          <div className="bar" role="progressbar" aria-valuenow={Math.round(c.fraction * 100)} aria-label="Calculation">
            <i style={{ width: `${100 * c.fraction}%` }} />
          </div>
        </>
      ) : (
        <div className="line">
          <span>
            {stand || (c?.state === "cancelled" ? "stopped; what was done is kept" : "not all is up to date")}
          </span>
          <span style={{ display: "flex", gap: 6, alignItems: "center" }}>
            <Button $main={!current} isDisabled={current || empty} onPress={props.onCalculate}>
              Calculate
            </Button>
            <ToggleQuiet isSelected={props.automatic} onChange={props.onByItself} aria-label="Calculate automatically">
              automatically
            </ToggleQuiet>
          </span>
        </div>
      )}
    </Act>
  );
}

export const RouteSheet = memo(function RouteSheet(props: Calculating) {
  const { plan, derived, chosen, choose, edit, keep, setupId } = useSheetState();
  const { data: formats } = useFormats();
  const info = infoOf(derived, setupId);
  const findings = [...derived.findings, ...derived.setups.flatMap((item) => item.findings)];
  const unit = plan.units ?? "mm";
  const upload = useUpload();
  const bring = (file: File) => {
    void upload.bring(file).then((mesh) => {
      if (!mesh) return;
      edit(
        { do: "add_model", mesh: mesh.digest, name: mesh.name.replace(/\.[^.]+$/, ""), unit: mesh.facts.unit.mm },
        "import a mesh",
      );
    });
  };
  const dropped = (items: DropItem[]) => {
    const item = items.find(isFileDropItem);
    if (item) void item.getFile().then(bring);
  };
  const placed = plan.models?.[0] && placedOf(derived, plan.models[0].id);
  const count = (level: Finding["level"]) => findings.filter((finding) => finding.level === level).length;
  const { stock } = plan;
  return (
    <Side aria-label="Route sheet">
      <Rows aria-label="Route sheet, drop a mesh here" onDrop={(event) => dropped(event.items)}>
        <Line $chosen={chosen.kind === "stock"} data-testid="row-stock">
          <span className="number">00</span>
          <span />
          <Pick onPress={() => choose({ kind: "stock" })}>Stock</Pick>
          <div className="right state">
            {placed && !info?.bar && (
              <>
                gap {lengthText(stock.thickness - (placed.high[2] as number), unit, "measured")} {unit} above
                <br />
                {lengthText(placed.low[2] as number, unit, "measured")} {unit} below
              </>
            )}
          </div>
          <span className="key wide">
            {stock.material?.name}{" "}
            {stock.kind === "round"
              ? `bar ⌀ ${lengthText(stock.width, unit)} × ${lengthText(stock.length, unit)}`
              : [stock.length, stock.width, stock.thickness].map((value) => lengthText(value, unit)).join(" × ")}{" "}
            {unit}
          </span>
          {plan.setups.length === 1 && !info?.tile && <span className="key wide">zero {info?.zero}</span>}
          <Findings row="stock" list={findings} />
        </Line>
        {plan.models?.map((model, k) => (
          <ModelRow key={model.id} model={model} number={k + 1} findings={findings} />
        ))}
        {!plan.models?.length && (
          <Line>
            <span className="number">01</span>
            <span />
            <span className="wide">
              No model yet. Drop a mesh here (STL, OBJ, PLY, 3MF, GLB, OFF, a height image or a zip), choose one below,
              or build a relief of pieces.
            </span>
          </Line>
        )}
        {upload.state && (
          <Line>
            <span className="wide">{upload.state}</span>
          </Line>
        )}
        {upload.problem && (
          <Line>
            <Said className="wide" role="alert">
              {upload.problem}
            </Said>
          </Line>
        )}
        {plan.boundaries?.map((item) => (
          <Line key={item.id} $chosen={chosen.kind === "boundary" && chosen.id === item.id} data-testid="row-boundary">
            <span className="number">◯</span>
            <span />
            <Pick onPress={() => choose({ kind: "boundary", id: item.id })}>{item.name}</Pick>
            <span className="right state">boundary</span>
            <Findings row={item.id} list={findings} />
          </Line>
        ))}
        {plan.setups.map((setup, k) => (
          <SetupSection key={setup.id} setup={setup} first={k === 1} findings={findings} />
        ))}
        <div style={{ padding: "7px 10px", display: "flex", flexWrap: "wrap", gap: 4 }}>
          <AddOperation />
          <AddSetup />
          <ProposeKind />
          <Quiet
            onPress={() => {
              const made = withNewBoundary(plan, setupId);
              keep(made.plan, "add boundary");
              choose({ kind: "boundary", id: made.id });
            }}
          >
            + Boundary
          </Quiet>
          <ChooseFile acceptedFileTypes={formats?.read ?? [".stl"]} onSelect={(files) => files?.[0] && bring(files[0])}>
            <Quiet>+ Import a mesh</Quiet>
          </ChooseFile>
          <Quiet
            onPress={() => {
              edit({ do: "add_composition" }, "add a relief");
              choose({ kind: "model", id: nextModel(plan) });
            }}
          >
            + Relief
          </Quiet>
        </div>
      </Rows>
      <CalculateBar {...props} />
      <Sum aria-label="Findings">
        <span>
          <Mark level="stop" />
          {count("stop")} stop
        </span>
        <span>
          <Mark level="caution" />
          {count("caution")} caution
        </span>
        <span>
          <Mark level="note" />
          {count("note")} {count("note") === 1 ? "note" : "notes"}
        </span>
      </Sum>
    </Side>
  );
});

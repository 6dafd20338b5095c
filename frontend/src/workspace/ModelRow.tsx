/** A model on the route sheet, with its fit in the stock. */
import { useState } from "react";
import styled from "styled-components";
import { placedOf, type Finding, type Model } from "../api/types";
import { countText, lengthText } from "../lib/numbers";
import { Ask, Button, Foot, Quiet } from "../parts/controls";
import { WordField } from "../parts/fields";
import { Mark } from "../parts/Marks";
import { Findings, Line, Pick, Told, Tools } from "./rows";
import { useSheetState } from "./state";

const Fit = styled.div`
  grid-column: 3 / -1;
  display: grid;
  grid-template-columns: 14px 1fr 112px;
  gap: 3px 6px;
  align-items: center;
  margin-top: 5px;
  font: 11.5px ${(p) => p.theme.mono};
  & .bar {
    height: 8px;
    border: 1px solid ${(p) => p.theme.hairline};
    position: relative;
    background: ${(p) => p.theme.panel};
    overflow: hidden;
  }
  & .bar i {
    position: absolute;
    top: 0;
    bottom: 0;
    background: ${(p) => p.theme.fit};
  }
  & .bar.out i {
    background: ${(p) => p.theme.stop};
  }
`;
function FitBars(props: { model: Model }) {
  const { plan, derived } = useSheetState();
  const placed = placedOf(derived, props.model.id);
  if (!placed) return null;
  const stock = [plan.stock.length, plan.stock.width, plan.stock.thickness];
  return (
    <Fit>
      {["X", "Y", "Z"].map((name, k) => {
        const all = stock[k] as number,
          low = placed.low[k] as number,
          high = placed.high[k] as number;
        const out = low < -1e-6 || high > all + 1e-6;
        const left = Math.max(Math.min((100 * low) / all, 98), 0),
          right = Math.max(100 - (100 * high) / all, 0);
        return [
          <span key={name}>{name}</span>,
          <div
            key={`${name}bar`}
            className={out ? "bar out" : "bar"}
            role="img"
            aria-label={`${name}: ${out ? "does not fit" : "fits"}`}
          >
            <i style={{ left: `${left}%`, right: `${Math.min(right, 98 - left)}%` }} />
          </div>,
          <span key={`${name}size`}>
            {lengthText(high - low, plan.units ?? "mm", "measured")} / {lengthText(all, plan.units ?? "mm", "measured")}{" "}
            {plan.units ?? "mm"}
          </span>,
        ];
      })}
    </Fit>
  );
}

export function ModelRow(props: { model: Model; number: number; findings: Finding[] }) {
  const { job, plan, derived, chosen, choose, keep, edit } = useSheetState();
  const { model } = props;
  const mine = chosen.kind === "model" && chosen.id === model.id;
  const state = derived.models[model.id];
  const placed = placedOf(derived, model.id);
  const facts = placed?.facts ?? job.meshes[model.mesh ?? ""]?.facts;
  const [name, setName] = useState<string | null>(null);
  const change = (part: Partial<Model>, note: string) =>
    keep(
      { ...plan, models: (plan.models ?? []).map((item) => (item.id === model.id ? { ...item, ...part } : item)) },
      note,
    );
  const show = () => change({ shown: !(model.shown ?? true) }, "show");
  const words =
    state?.state === "reading"
      ? "reading…"
      : state?.state === "working"
        ? model.composition
          ? "composing…"
          : "repairing…"
        : `${countText(facts?.triangles ?? 0)} ${facts?.triangles === 1 ? "triangle" : "triangles"}`;
  return (
    <Line $chosen={mine} $off={model.shown === false} data-testid="row-model" data-state={state?.state}>
      <span className="number">{String(props.number).padStart(2, "0")}</span>
      <span />
      <Pick onPress={() => choose({ kind: "model", id: model.id })}>{model.name}</Pick>
      <span className="right state">{words}</span>
      <FitBars model={model} />
      {placed?.state === "refused" && (
        <Told>
          <Mark level="stop" size={10} />
          <span>
            {placed.reason}
            {model.composition ? "" : ": take that repair out, or choose other numbers."}
          </span>
        </Told>
      )}
      <Findings row={model.id} list={props.findings} />
      {mine && (
        <Tools>
          <Quiet onPress={() => setName(model.name)}>Rename</Quiet>
          <Quiet onPress={show}>{model.shown === false ? "Switch on" : "Switch off"}</Quiet>
          <Quiet
            onPress={() => {
              choose({ kind: "stock" });
              edit({ do: "remove_model", model: model.id }, "delete model");
            }}
          >
            Delete
          </Quiet>
        </Tools>
      )}
      <Ask title="Rename the model" open={name !== null} onClose={() => setName(null)}>
        <WordField label="Name" value={name ?? ""} onChange={setName} />
        <Foot>
          <Button onPress={() => setName(null)}>Cancel</Button>
          <Button
            $main
            isDisabled={!name?.trim()}
            onPress={() => {
              change({ name: (name ?? "").trim() }, "rename");
              setName(null);
            }}
          >
            Rename
          </Button>
        </Foot>
      </Ask>
    </Line>
  );
}

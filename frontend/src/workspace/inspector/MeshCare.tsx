/** What is wrong with a mesh, shown in the view, and the repairs that it has been given. */
import { useState } from "react";
import styled from "styled-components";
import { useRepairs } from "../../api/shop";
import type { MeshFacts, Model, ModelState, RepairKind } from "../../api/types";
import { countText, lengthText, type Unit } from "../../lib/numbers";
import { Ask, Button, Foot, Quiet, Said, ToggleQuiet } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { useSheetState, type Fault } from "../state";
import { Buttons, Folded, Note } from "./shared";

const Facts = styled.dl`
  display: grid;
  grid-template-columns: 1fr auto auto;
  gap: 1px 8px;
  margin: 2px 0 6px;
  align-items: center;
  font-size: 12.5px;
  & dt {
    color: ${(p) => p.theme.muted};
  }
  & dd {
    margin: 0;
    font: 12px ${(p) => p.theme.mono};
    text-align: right;
  }
`;
const Steps = styled.ol`
  margin: 0 0 6px;
  padding-left: 18px;
  font-size: 12.5px;
  & li {
    margin-bottom: 2px;
  }
  & button {
    float: right;
    padding: 0 5px;
  }
`;

interface Line {
  label: string;
  count: number;
  fault?: Fault;
}

/** What is told of a mesh, the faults only where there are any. */
export function factLines(facts: MeshFacts): Line[] {
  const lines: Line[] = [
    { label: "triangles", count: facts.triangles },
    { label: "shells", count: facts.shells, fault: "loose" },
    { label: "holes", count: facts.holes, fault: "holes" },
    { label: "faces turned round", count: facts.flipped, fault: "flipped" },
    { label: "shells inside out", count: facts.inside_out },
    { label: "edges of more than two faces", count: facts.nonmanifold, fault: "nonmanifold" },
    { label: "faces without area", count: facts.without_area },
    { label: "faces that are there twice", count: facts.duplicates },
  ];
  return lines
    .filter((line, k) => k < 3 || line.count > 0)
    .map((line) => {
      const plain = line.fault === "loose" ? line.count < 2 : line.count === 0;
      return plain ? { label: line.label, count: line.count } : line;
    });
}

/** What a repair says it did: lengths, which stand in braces in the file's unit or in millimetres of the part ("4 mm"),
 * as they will be cut. */
export const saidIn = (text: string, scale: number, unit: Unit) =>
  text.replace(/\{([^ }]+)( mm)?\}/g, (_, value: string, ofPart: string | undefined) => {
    const length = Number(value) * (ofPart ? 1 : scale);
    return `${lengthText(length, unit)} ${unit}`;
  });

/** How many millimetres a length of a repair counts: lengths of the part are millimetres already. */
export const lengthScale = (length: "file" | "part" | null | undefined, scale: number) =>
  length === "file" ? scale : 1;

/** A first number for a repair's length, from the size of the mesh: its own number means nothing for a mesh in metres. */
export function proposedLength(key: string, name: string, fallback: number, facts: MeshFacts): number {
  const longest = Math.max(...facts.size);
  if (key === "close_holes")
    return Number(
      (facts.largest_hole > 0 && facts.largest_hole < 0.3 * longest
        ? facts.largest_hole * 1.01
        : longest * 0.1
      ).toPrecision(3),
    );
  if (key === "drop_shells") return Number((longest * 0.05).toPrecision(2));
  if (name === "deviation" || name === "distance") return Number((longest * 0.0002).toPrecision(2));
  return fallback;
}

function AskRepair(props: { kind: RepairKind; model: Model; facts: MeshFacts; scale: number; onClose: () => void }) {
  const { plan, edit } = useSheetState();
  const { kind, facts, scale } = props;
  const fields = Object.entries(kind.schema.properties).filter(([, field]) => typeof field.default === "number");
  const first = Object.fromEntries(
    fields.map(([name, field]) => [
      name,
      field.length === "file"
        ? proposedLength(kind.key, name, Number(field.default), facts)
        : name === "triangles"
          ? Math.max(Math.round(facts.triangles / 2), 100)
          : Number(field.default),
    ]),
  );
  const [values, setValues] = useState<Record<string, number>>(first);
  const does = () => {
    edit({ do: "repair_model", model: props.model.id, kind: kind.key, settings: values }, kind.title.toLowerCase());
    props.onClose();
  };
  return (
    <Ask title={kind.title} open onClose={props.onClose}>
      <Note>{kind.summary}.</Note>
      {fields.map(([name, field]) => {
        // Lengths of the file are kept in its unit; all are typed as they will be cut.
        const by = lengthScale(field.length, scale);
        return (
          <NumberField
            key={name}
            label={field.title}
            help={field.description}
            unit={plan.units ?? "mm"}
            kind={field.length ? "length" : "plain"}
            value={(values[name] ?? 0) * by}
            {...(field.exclusiveMinimum !== undefined
              ? { over: field.exclusiveMinimum }
              : field.minimum !== undefined
                ? { low: field.minimum * by }
                : {})}
            onLive={(value) => value !== null && setValues((old) => ({ ...old, [name]: value / by }))}
            onChange={(value) => value !== null && setValues((old) => ({ ...old, [name]: value / by }))}
          />
        );
      })}
      <Foot>
        <Button onPress={props.onClose}>Cancel</Button>
        <Button $main onPress={does}>
          {kind.title}
        </Button>
      </Foot>
    </Ask>
  );
}

export function MeshCare(props: { model: Model; state: ModelState }) {
  const { plan, edit, faults, showFaults } = useSheetState();
  const { data: kinds } = useRepairs();
  const [asking, setAsking] = useState<RepairKind | null>(null);
  const { model, state } = props;
  const { facts } = state;
  const steps = model.steps ?? [];
  const title = (key: string) => kinds?.find((kind) => kind.key === key)?.title ?? key;
  const short = `${countText(facts.triangles)} · ${facts.watertight ? "closed" : `${facts.holes} ${facts.holes === 1 ? "hole" : "holes"}`}`;
  return (
    <Folded title="Mesh and repair" short={short}>
      <Facts>
        {factLines(facts).map((line) => [
          <dt key={line.label}>{line.label}</dt>,
          <dd key={`${line.label} count`}>{countText(line.count)}</dd>,
          line.fault ? (
            <ToggleQuiet
              key={`${line.label} show`}
              aria-label={`Show ${line.label}`}
              isSelected={faults === line.fault}
              onChange={(on) => showFaults(on ? (line.fault as Fault) : null)}
            >
              show
            </ToggleQuiet>
          ) : (
            <span key={`${line.label} none`} />
          ),
        ])}
      </Facts>
      {facts.holes > 0 && (
        <Note>
          The largest hole is {lengthText(facts.largest_hole * (state.scale[0] ?? 1), plan.units ?? "mm", "measured")}{" "}
          {plan.units ?? "mm"} across. An open mesh can be cut as it is.
        </Note>
      )}
      {facts.repairs.map((text) => (
        <Note key={text}>On reading: {text}.</Note>
      ))}
      {steps.length > 0 && (
        <Steps aria-label="Repairs made">
          {steps.map((step, k) => (
            <li key={`${k} ${step.kind}`}>
              {title(step.kind)}
              {facts.said[k] ? `: ${saidIn(facts.said[k], state.scale[0] ?? 1, plan.units ?? "mm")}` : ""}
              <Quiet
                aria-label={`Take out ${title(step.kind)}`}
                onPress={() => edit({ do: "drop_repair", model: model.id, step: k }, "take a repair out")}
              >
                ×
              </Quiet>
            </li>
          ))}
        </Steps>
      )}
      {state.state === "refused" && (
        <Said role="alert">{state.reason}. Take that step out or choose other numbers.</Said>
      )}
      <Buttons>
        {kinds
          ?.filter((kind) => kind.key !== "cut_below")
          .map((kind) => (
            <Quiet key={kind.key} onPress={() => setAsking(kind)}>
              {kind.title}
            </Quiet>
          ))}
      </Buttons>
      {asking && (
        <AskRepair
          kind={asking}
          model={model}
          facts={facts}
          scale={state.scale[0] ?? 1}
          onClose={() => setAsking(null)}
        />
      )}
    </Folded>
  );
}

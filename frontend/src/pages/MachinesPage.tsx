/** Machines: those that ship, and the shop's own. */
import { ChooseFile } from "../parts/ChooseFile";
import { useEffect, useState } from "react";
import { Cell, Column, Row as TableRow, TableBody, TableHeader } from "react-aria-components";
import styled from "styled-components";
import { useMachineActions, useMachines } from "../api/shop";
import type { Axis, Machine, MachineListed } from "../api/types";
import { lengthText } from "../lib/numbers";
import { copyOf, travelText, withRotary } from "../lib/machines";
import { ConfirmDelete } from "../parts/ConfirmDelete";
import { Deleted } from "../parts/Deleted";
import { Ask, Button, Choose, Foot, Quiet, Said } from "../parts/controls";
import { NumberField, WordField } from "../parts/fields";
import { List, Sheet } from "./CuttersPage";
import { TopBar } from "./TopBar";
import { useUnit } from "./unit";

const AxisTable = styled.table`
  border-collapse: collapse;
  & th {
    text-align: left;
    font-weight: 400;
    color: ${(p) => p.theme.muted};
    font-size: 12px;
  }
  & td {
    padding: 2px 6px 2px 0;
  }
  & td:first-child {
    font: 13px ${(p) => p.theme.mono};
    width: 24px;
  }
`;
const Fields = styled.div`
  display: grid;
  gap: 2px;
  max-height: 560px;
  overflow-y: auto;
  padding-right: 8px;
`;
const Columns = styled.div`
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 0 28px;
`;
const YES = { no: "no", yes: "yes" };
const COLUMNS: { key: "travel" | "rapid" | "feed_limit" | "acceleration"; title: string }[] = [
  { key: "travel", title: "Travel" },
  { key: "rapid", title: "Rapid" },
  { key: "feed_limit", title: "Feed limit" },
  { key: "acceleration", title: "Acceleration" },
];

function AxisFields(props: { axes: Axis[]; onChange: (axes: Axis[]) => void }) {
  const set = (name: string, part: Partial<Axis>) =>
    props.onChange(props.axes.map((axis) => (axis.name === name ? { ...axis, ...part } : axis)));
  return (
    <AxisTable aria-label="Axes">
      <thead>
        <tr>
          <th>Axis</th>
          {COLUMNS.map((column) => (
            <th key={column.key}>{column.title}</th>
          ))}
        </tr>
      </thead>
      <tbody>
        {props.axes.map((axis) => (
          <tr key={axis.name}>
            <td>{axis.name}</td>
            {COLUMNS.map(({ key, title }) => {
              const endless = axis.kind === "rotary" && key === "travel";
              return (
                <td key={key}>
                  <NumberField
                    bare
                    label={`${axis.name} ${title.toLowerCase()}`}
                    kind="plain"
                    unit="mm"
                    value={axis[key] ?? null}
                    over={0}
                    high={1e6}
                    step={key === "travel" ? 10 : 100}
                    {...(endless ? { empty: "endless" } : {})}
                    onLive={(value) => (value !== null || endless) && set(axis.name, { [key]: value })}
                    onChange={(value) => (value !== null || endless) && set(axis.name, { [key]: value })}
                  />
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
    </AxisTable>
  );
}

function Editor(props: { shown: { key: string | null; data: Machine }; onClose: () => void }) {
  const [machine, setMachine] = useState<Machine>(props.shown.data);
  const { save } = useMachineActions();
  const change = (part: Partial<Machine>) => setMachine((old) => ({ ...old, ...part }));
  const number = (
    label: string,
    value: number,
    suffix: string,
    bounds: { low?: number; over?: number; high: number; step: number },
    set: (value: number) => void,
  ) => (
    <NumberField
      label={label}
      kind="plain"
      unit="mm"
      suffix={suffix}
      value={value}
      {...bounds}
      onLive={(next) => next !== null && set(next)}
      onChange={(next) => next !== null && set(next)}
    />
  );
  return (
    <Ask
      wide
      title={props.shown.key === null ? "A new machine" : `Change ${props.shown.data.name}`}
      open
      onClose={props.onClose}
    >
      <Fields>
        <Columns>
          <WordField label="Name" value={machine.name} onChange={(name) => change({ name })} />
          <WordField label="Id" value={machine.id} onChange={(id) => change({ id })} />
        </Columns>
        <AxisFields axes={machine.axes} onChange={(axes) => change({ axes })} />
        <Said $level="muted">mm, mm/min and mm/s²; of an axis that turns degrees, °/min and °/s².</Said>
        <Columns>
          <Choose
            label="Axis A that turns"
            value={machine.axes.some((axis) => axis.kind === "rotary") ? "yes" : "no"}
            choices={YES}
            onChange={(value) => setMachine(withRotary(machine, value === "yes"))}
          />
          <Choose
            label="Changes cutters itself"
            value={machine.changer ? "yes" : "no"}
            choices={YES}
            onChange={(value) => change({ changer: value === "yes" })}
          />
          {number("Spindle limit", machine.spindle_limit, "1/min", { over: 0, high: 200000, step: 1000 }, (value) =>
            change({ spindle_limit: value }),
          )}
          {number(
            "Time for a cutter change",
            machine.cutter_change_seconds,
            "s",
            { low: 0, high: 36000, step: 5 },
            (value) => change({ cutter_change_seconds: value }),
          )}
          {number("Spindle starts in", machine.spindle_wait_seconds, "s", { low: 0, high: 600, step: 1 }, (value) =>
            change({ spindle_wait_seconds: value }),
          )}
          {number("Corners rounded up to", machine.corner_deviation, "mm", { over: 0, high: 10, step: 0.01 }, (value) =>
            change({ corner_deviation: value }),
          )}
          {number("Look-ahead, moves", machine.lookahead, "", { low: 1, high: 100000, step: 10 }, (value) =>
            change({ lookahead: Math.round(value) }),
          )}
          {number(
            "Bed along X",
            machine.bed?.[0] ?? machine.axes[0]?.travel ?? 1,
            "mm",
            { over: 0, high: 1e5, step: 10 },
            (value) => change({ bed: [value, machine.bed?.[1] ?? machine.axes[1]?.travel ?? value] }),
          )}
          {number(
            "Bed along Y",
            machine.bed?.[1] ?? machine.axes[1]?.travel ?? 1,
            "mm",
            { over: 0, high: 1e5, step: 10 },
            (value) => change({ bed: [machine.bed?.[0] ?? machine.axes[0]?.travel ?? value, value] }),
          )}
        </Columns>
      </Fields>
      {save.error && <Said role="alert">{save.error.message}</Said>}
      <Foot>
        <Button onPress={props.onClose}>Cancel</Button>
        <Button
          $main
          isDisabled={!machine.name.trim() || !machine.id.trim()}
          onPress={() => save.mutate({ key: props.shown.key, data: machine }, { onSuccess: props.onClose })}
        >
          Save
        </Button>
      </Foot>
    </Ask>
  );
}

export function MachinesPage() {
  const { data: machines, error } = useMachines();
  const { save, remove } = useMachineActions();
  const [open, setOpen] = useState<{ key: string | null; data: Machine } | null>(null);
  const [gone, setGone] = useState<MachineListed | null>(null);
  const [problem, setProblem] = useState("");
  const { unit } = useUnit();
  const taken = (machines ?? []).map((item) => item.data.id);
  useEffect(() => {
    document.title = "Machines · Nephos";
  }, []);
  const importFile = (file: File) => {
    setProblem("");
    file
      .text()
      .then((text) => save.mutateAsync({ key: null, data: JSON.parse(text) as Machine }))
      .catch((reason: Error) =>
        setProblem(reason instanceof SyntaxError ? `${file.name} is no JSON file` : reason.message),
      );
  };
  const fresh = machines?.[0]?.data;
  return (
    <>
      <TopBar page="machines">
        <Deleted kind="machine" />
        <ChooseFile acceptedFileTypes={[".json"]} onSelect={(files) => files?.[0] && importFile(files[0])}>
          <Button>Import a machine…</Button>
        </ChooseFile>
        <Button
          $main
          isDisabled={!fresh}
          onPress={() => fresh && setOpen({ key: null, data: { ...copyOf(fresh, taken), name: "Our machine" } })}
        >
          Add a machine
        </Button>
      </TopBar>
      <Sheet>
        {(error ?? problem) && <Said role="alert">{error?.message ?? problem}</Said>}
        <List aria-label="Machines">
          <TableHeader>
            <Column>No.</Column>
            <Column>Cutter changes</Column>
            <Column isRowHeader>Name</Column>
            <Column>Travel, {unit}</Column>
            <Column>Bed, {unit}</Column>
            <Column>Rotary axis</Column>
            <Column>Spindle, 1/min</Column>
            <Column> </Column>
          </TableHeader>
          <TableBody items={(machines ?? []).map((item) => ({ ...item, id: item.data.id }))}>
            {(item) => (
              <TableRow id={item.id}>
                <Cell>{taken.indexOf(item.id) + 1}</Cell>
                <Cell>{item.data.changer ? "by the machine" : "by hand"}</Cell>
                <Cell>{item.data.name}</Cell>
                <Cell>{travelText(item.data, unit)}</Cell>
                <Cell>
                  {item.data.bed ? item.data.bed.map((value) => lengthText(value, unit, "round")).join(" × ") : ""}
                </Cell>
                <Cell>
                  {item.data.axes
                    .filter((axis) => axis.kind === "rotary")
                    .map((axis) => axis.name)
                    .join(", ") || "none"}
                </Cell>
                <Cell>{item.data.spindle_limit}</Cell>
                <Cell>
                  {!item.shipped && (
                    <Quiet
                      aria-label={`Change ${item.data.name}`}
                      onPress={() => setOpen({ key: item.id, data: item.data })}
                    >
                      Change
                    </Quiet>
                  )}
                  <Quiet
                    aria-label={`Copy ${item.data.name}`}
                    onPress={() => setOpen({ key: null, data: copyOf(item.data, taken) })}
                  >
                    Copy
                  </Quiet>
                  {!item.shipped && (
                    <Quiet aria-label={`Delete ${item.data.name}`} onPress={() => setGone(item)}>
                      Delete
                    </Quiet>
                  )}
                  <a href={`/api/machines/${item.id}/file`} download aria-label={`File of ${item.data.name}`}>
                    File
                  </a>
                </Cell>
              </TableRow>
            )}
          </TableBody>
        </List>
        <p style={{ marginTop: 10 }}>
          Machines that ship can be copied, not changed. A job keeps a machine as it was when it took it; its row 00
          says which. Actual times that are entered belong to the machine with their id.
        </p>
      </Sheet>
      {open && <Editor key={open.key ?? "new"} shown={open} onClose={() => setOpen(null)} />}
      <ConfirmDelete
        name={gone?.data.name ?? null}
        text="Jobs that took it keep it. It can be brought back for 30 days (Deleted…)."
        onDelete={() => gone && remove.mutate(gone.data.id)}
        onClose={() => setGone(null)}
      />
    </>
  );
}

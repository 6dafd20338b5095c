/** The shop's cutters: list, add, change, take out. */
import { ChooseFile } from "../parts/ChooseFile";
import { useEffect, useRef, useState } from "react";
import { Cell, Column, Row as TableRow, Table, TableBody, TableHeader } from "react-aria-components";
import styled from "styled-components";
import { useCutterActions, useCutterLook, useCutters, useShapes, useMaterials } from "../api/shop";
import type { Cutter, CutterRow } from "../api/types";
import { ConfirmDelete } from "../parts/ConfirmDelete";
import { Deleted } from "../parts/Deleted";
import { Ask, Button, Choose, Foot, Quiet, Said } from "../parts/controls";
import { CutterDrawing } from "../parts/CutterDrawing";
import { feedText, lengthText } from "../lib/numbers";
import { NumberField, WordField } from "../parts/fields";
import { TopBar } from "./TopBar";
import { useUnit } from "./unit";

export const Sheet = styled.main`
  padding: 18px 24px;
  max-width: 1180px;
`;
export const List = styled(Table)`
  width: 100%;
  border-collapse: collapse;
  background: ${(p) => p.theme.panel};
  border: 1px solid ${(p) => p.theme.hairline};
  outline: none;
  & th {
    text-align: right;
    font-size: 12px;
    color: ${(p) => p.theme.muted};
    font-weight: 500;
    padding: 8px 12px;
    border-bottom: 1px solid ${(p) => p.theme.hairline};
    outline: none;
  }
  & td {
    padding: 6px 12px;
    border-bottom: 1px solid ${(p) => p.theme.hairline};
    font: 12.5px ${(p) => p.theme.mono};
    text-align: right;
    outline: none;
  }
  & td:nth-child(3),
  & th:nth-child(3) {
    text-align: left;
    font-family: ${(p) => p.theme.text};
  }
  & td:nth-child(2) {
    text-align: center;
    line-height: 0;
  }
`;
const Form = styled.div`
  display: grid;
  grid-template-columns: 1fr 150px;
  gap: 16px;
  & .drawing {
    display: grid;
    place-items: center;
    align-content: start;
  }
  & .sum {
    font: 11.5px/16px ${(p) => p.theme.mono};
    color: ${(p) => p.theme.muted};
    margin: 2px 0 8px;
  }
`;

const FRESH: Cutter = {
  number: 1,
  name: "",
  shape: "flat",
  diameter: 6,
  corner_radius: 0,
  angle: 0,
  tip_diameter: 0,
  flute_length: 18,
  shank_diameter: 6,
  overall_length: 50,
  stickout: null,
  holder: [],
  flutes: 2,
  feed: 1800,
  plunge_feed: 600,
  spindle: 18000,
  ramp_limit: 90,
  group: "",
};

type Numeric = Exclude<keyof Cutter, "name" | "shape" | "holder" | "group">;
interface NumberRow {
  key: Numeric;
  label: string;
  kind: "length" | "feed" | "plain";
  high: number;
  step: number;
  low?: number;
  suffix?: string;
  empty?: string;
}

const SHAPE_NUMBERS: NumberRow[] = [
  { key: "corner_radius", label: "Corner radius", kind: "length", high: 100, step: 0.25 },
  { key: "tip_diameter", label: "Tip diameter", kind: "length", high: 100, step: 0.1 },
  { key: "angle", label: "Included angle", kind: "plain", high: 179, step: 5, suffix: "°" },
];
const NUMBERS: NumberRow[] = [
  { key: "flute_length", label: "Flute length", kind: "length", high: 500, step: 1 },
  { key: "shank_diameter", label: "Shank", kind: "length", high: 100, step: 0.5 },
  { key: "overall_length", label: "Overall length", kind: "length", high: 1000, step: 1 },
  { key: "stickout", label: "Stickout", kind: "length", high: 1000, step: 1, empty: "all but 20 mm" },
  { key: "flutes", label: "Flutes", kind: "plain", high: 12, step: 1, low: 1 },
];
const FEEDS: NumberRow[] = [
  { key: "feed", label: "Feed", kind: "feed", high: 100000, step: 100 },
  { key: "plunge_feed", label: "Plunge feed", kind: "feed", high: 100000, step: 50 },
  { key: "spindle", label: "Spindle", kind: "plain", high: 200000, step: 500, suffix: "/min" },
  { key: "ramp_limit", label: "Steepest ramp", kind: "plain", high: 90, step: 5, low: 0, suffix: "°" },
];

/** Steps of the holder as they are typed: diameter x length, one behind the other. */
export const holderText = (holder: Cutter["holder"]) =>
  (holder ?? []).map((step) => `${step.diameter} x ${step.length}`).join(" + ");
export function readHolder(text: string): NonNullable<Cutter["holder"]> | null {
  const steps = text
    .split("+")
    .map((part) => part.trim())
    .filter(Boolean)
    .map((part) => /^([\d.]+)\s*x\s*([\d.]+)$/.exec(part));
  if (steps.some((step) => !step || !(Number(step[1]) > 0) || !(Number(step[2]) > 0))) return null;
  return steps.map((step) => ({ diameter: Number(step?.[1]), length: Number(step?.[2]) }));
}

function CutterForm(props: { row: { id: number | null; data: Cutter }; onClose: () => void }) {
  const [data, setData] = useState<Cutter>({ ...FRESH, ...props.row.data });
  const [holder, setHolder] = useState(holderText(props.row.data.holder));
  const [material, setMaterial] = useState("lime");
  const { unit } = useUnit();
  const { data: shapes } = useShapes();
  const { data: materials } = useMaterials();
  const chosen = materials?.find((row) => row.data.name === material)?.data ?? materials?.[0]?.data ?? null;
  const { data: look } = useCutterLook(data, chosen, unit);
  const { save } = useCutterActions();
  const needs = shapes?.[data.shape]?.needs ?? [];
  const number = (field: NumberRow) => {
    const set = (value: number | null) =>
      (value !== null || field.empty !== undefined) && setData((old) => ({ ...old, [field.key]: value }));
    return (
      <NumberField
        key={field.key}
        label={field.label}
        kind={field.kind}
        unit={unit}
        value={data[field.key] ?? null}
        high={field.high}
        step={field.step}
        {...(field.suffix ? { suffix: field.suffix } : {})}
        {...(field.empty ? { empty: field.empty } : {})}
        {...(field.low === undefined ? { over: 0 } : { low: field.low })}
        onLive={set}
        onChange={set}
      />
    );
  };
  const steps = readHolder(holder);
  return (
    <Ask
      title={props.row.id === null ? "Add a cutter" : `Change ${props.row.data.name}`}
      open
      onClose={props.onClose}
      wide
    >
      <Form>
        <div style={{ columns: 2, columnGap: 20 }}>
          {number({ key: "number", label: "Number", kind: "plain", high: 999, step: 1, low: 1 })}
          <WordField label="Name" value={data.name} onChange={(name) => setData({ ...data, name })} />
          <WordField
            label="Group"
            optional
            value={data.group ?? ""}
            onChange={(group) => setData({ ...data, group })}
          />
          <Choose
            label="Shape"
            value={data.shape}
            choices={Object.fromEntries(
              Object.entries(shapes ?? { [data.shape]: { title: data.shape } }).map(([key, kind]) => [key, kind.title]),
            )}
            onChange={(shape) => setData({ ...data, shape: shape as Cutter["shape"] })}
          />
          {number({ key: "diameter", label: "Diameter", kind: "length", high: 200, step: 0.5 })}
          {SHAPE_NUMBERS.filter((field) => needs.includes(field.key)).map(number)}
          {NUMBERS.map(number)}
          <WordField
            label="Holder"
            optional
            value={holder}
            onChange={(text) => {
              setHolder(text);
              const read = readHolder(text);
              if (read) setData({ ...data, holder: read });
            }}
          />
          <p className="sum">
            {steps === null
              ? "Holder: diameter x length in mm, steps with + between, from the cutter up."
              : "22 x 18 + 43 x 40: steps from the cutter up, in mm."}
          </p>
          {FEEDS.map(number)}
          <p className="sum">{look?.sum}</p>
          <Choose
            label="To cut"
            value={chosen?.name ?? ""}
            choices={Object.fromEntries((materials ?? []).map((row) => [row.data.name, row.data.name]))}
            onChange={setMaterial}
          />
          {look?.proposed_sum && (
            <p className="sum">
              {look.proposed_sum}
              {look.kept.length ? `; kept to ${look.kept.join(" and ")}` : ""}
            </p>
          )}
          <Quiet isDisabled={!look?.proposed.feed} onPress={() => setData((old) => ({ ...old, ...look?.proposed }))}>
            Take the proposed feeds
          </Quiet>
        </div>
        <div className="drawing">
          <CutterDrawing
            section={look?.outline ?? []}
            flutes={data.flute_length}
            diameter={data.diameter}
            height={330}
            whole
          />
        </div>
      </Form>
      {(save.error ?? look?.problem) && <Said role="alert">{save.error?.message ?? look?.problem}</Said>}
      <Foot>
        <Button onPress={props.onClose}>Cancel</Button>
        <Button
          $main
          isDisabled={!data.name.trim() || Boolean(look?.problem) || steps === null}
          onPress={() => save.mutate({ id: props.row.id, data }, { onSuccess: props.onClose })}
        >
          Save
        </Button>
      </Foot>
    </Ask>
  );
}

/** Imports a table of cutters; where numbers are taken it asks what to do. */
function ImportCutters() {
  const { bring } = useCutterActions();
  const held = useRef({ name: "", text: "" });
  const [taken, setTaken] = useState<number[]>([]);
  const [said, setSaid] = useState("");
  const send = (clash: "ask" | "replace" | "renumber" | "leave") =>
    bring.mutate(
      { ...held.current, clash },
      {
        onSuccess: (done) => {
          setTaken(clash === "ask" ? (done.count ? [] : done.taken) : []);
          setSaid(done.count ? `${done.count} cutters imported.` : "");
        },
        onError: (error) => {
          setTaken([]);
          setSaid(error.message);
        },
      },
    );
  return (
    <>
      <ChooseFile
        acceptedFileTypes={[".csv", ".json"]}
        onSelect={(files) => {
          const file = files?.[0];
          if (file)
            void file.text().then((text) => {
              held.current = { name: file.name, text };
              send("ask");
            });
        }}
      >
        <Button>Import a table…</Button>
      </ChooseFile>
      <Ask title="Numbers that are taken" open={taken.length > 0} onClose={() => setTaken([])}>
        <p>{taken.length === 1 ? `Number ${taken[0]} is` : `Numbers ${taken.join(", ")} are`} in your list already.</p>
        <Foot>
          <Button onPress={() => send("leave")}>Keep mine</Button>
          <Button onPress={() => send("renumber")}>Give new numbers</Button>
          <Button $main onPress={() => send("replace")}>
            Replace mine
          </Button>
        </Foot>
      </Ask>
      <Ask title="Cutters" open={Boolean(said)} onClose={() => setSaid("")}>
        <p role="status">{said}</p>
        <Foot>
          <Button $main onPress={() => setSaid("")}>
            Close
          </Button>
        </Foot>
      </Ask>
    </>
  );
}

export function CuttersPage() {
  const { data: rows, error } = useCutters();
  const { remove } = useCutterActions();
  const { unit } = useUnit();
  const [open, setOpen] = useState<{ id: number | null; data: Cutter } | null>(null);
  const [gone, setGone] = useState<CutterRow | null>(null);
  const [group, setGroup] = useState("");
  useEffect(() => {
    document.title = "Cutters · Nephos";
  }, []);
  const next = Math.max(0, ...(rows ?? []).map((row) => row.data.number)) + 1;
  const groups = [...new Set((rows ?? []).map((row) => row.data.group ?? "").filter(Boolean))].sort();
  const shown = (rows ?? []).filter((row) => !group || row.data.group === group);
  return (
    <>
      <TopBar page="cutters">
        <Deleted kind="cutter" />
        <ImportCutters />
        <a href="/api/cutters/file.csv" download>
          Save as CSV
        </a>
        <a href="/api/cutters/file.json" download>
          Save as JSON
        </a>
        <Button $main onPress={() => setOpen({ id: null, data: { ...FRESH, number: next } })}>
          Add a cutter
        </Button>
      </TopBar>
      <Sheet>
        {error && <Said role="alert">{error.message}</Said>}
        {groups.length > 0 && (
          <div style={{ maxWidth: 320, marginBottom: 8 }}>
            <Choose
              label="Group"
              value={group || "all"}
              choices={{ all: "all", ...Object.fromEntries(groups.map((name) => [name, name])) }}
              onChange={(name) => setGroup(name === "all" ? "" : name)}
            />
          </div>
        )}
        <List aria-label="Cutters">
          <TableHeader>
            <Column>No.</Column>
            <Column>Drawn</Column>
            <Column isRowHeader>Name</Column>
            <Column>Group</Column>
            <Column>Diameter</Column>
            <Column>Flute length</Column>
            <Column>Stickout</Column>
            <Column>Flutes</Column>
            <Column>Feed</Column>
            <Column>Plunge</Column>
            <Column>Spindle</Column>
            <Column> </Column>
          </TableHeader>
          <TableBody items={shown} renderEmptyState={() => "No cutters yet. Add the first one, or import a table."}>
            {(row) => (
              <TableRow id={row.id}>
                <Cell>{row.data.number}</Cell>
                <Cell>
                  <CutterDrawing
                    section={row.outline}
                    flutes={row.data.flute_length}
                    diameter={row.data.diameter}
                    height={40}
                  />
                </Cell>
                <Cell>{row.data.name}</Cell>
                <Cell>{row.data.group}</Cell>
                <Cell>{lengthText(row.data.diameter, unit)}</Cell>
                <Cell>{lengthText(row.data.flute_length, unit)}</Cell>
                <Cell>{row.data.stickout ? lengthText(row.data.stickout, unit) : ""}</Cell>
                <Cell>{row.data.flutes}</Cell>
                <Cell>{feedText(row.data.feed, unit)}</Cell>
                <Cell>{feedText(row.data.plunge_feed, unit)}</Cell>
                <Cell>{row.data.spindle}</Cell>
                <Cell>
                  <Quiet aria-label={`Change ${row.data.name}`} onPress={() => setOpen(row)}>
                    Change
                  </Quiet>
                  <Quiet aria-label={`Delete ${row.data.name}`} onPress={() => setGone(row)}>
                    Delete
                  </Quiet>
                </Cell>
              </TableRow>
            )}
          </TableBody>
        </List>
        <p style={{ marginTop: 10 }}>
          Lengths in {unit}, feeds in {unit} a minute. Jobs keep a cutter as it was when they took it.
        </p>
      </Sheet>
      {open && <CutterForm key={open.id ?? "new"} row={open} onClose={() => setOpen(null)} />}
      <ConfirmDelete
        name={gone?.data.name ?? null}
        text="Jobs that use it keep it. It can be brought back for 30 days (Deleted…)."
        onDelete={() => gone && remove.mutate(gone.id)}
        onClose={() => setGone(null)}
      />
    </>
  );
}

/** The shop's cutters: list, add, change, take out. */
import { useEffect, useState } from "react";
import { Cell, Column, Row as TableRow, Table, TableBody, TableHeader } from "react-aria-components";
import styled from "styled-components";
import { useCutterActions, useCutters, useShapes } from "../api/hooks";
import type { Cutter, CutterRow } from "../api/types";
import { Ask, Button, Choose, Foot, Quiet, Said } from "../parts/controls";
import { CutterDrawing } from "../parts/CutterDrawing";
import { feedText, lengthText } from "../lib/numbers";
import { NumberField, WordField } from "../parts/fields";
import { TopBar } from "./TopBar";
import { useUnit } from "./unit";

export const Sheet = styled.main`padding: 18px 24px; max-width: 1180px;`;
export const List = styled(Table)`
  width: 100%; border-collapse: collapse; background: ${(p) => p.theme.panel}; border: 1px solid ${(p) => p.theme.hairline}; outline: none;
  & th { text-align: right; font-size: 12px; color: ${(p) => p.theme.muted}; font-weight: 500; padding: 8px 12px; border-bottom: 1px solid ${(p) => p.theme.hairline}; outline: none; }
  & td { padding: 6px 12px; border-bottom: 1px solid ${(p) => p.theme.hairline}; font: 12.5px ${(p) => p.theme.mono}; text-align: right; outline: none; }
  & td:nth-child(3), & th:nth-child(3) { text-align: left; font-family: ${(p) => p.theme.text}; }
  & td:nth-child(2) { text-align: center; line-height: 0; }
`;
const Form = styled.div`display: grid; grid-template-columns: 1fr 96px; gap: 16px; & .drawing { display: grid; place-items: center; }`;

const FRESH: Cutter = { number: 1, name: "", shape: "flat", diameter: 6, flute_length: 18, shank_diameter: 6, overall_length: 50, flutes: 2, feed: 1800, plunge_feed: 600, spindle: 18000 };

const NUMBERS: { key: Exclude<keyof Cutter, "name" | "shape">; label: string; kind: "length" | "feed" | "plain"; high: number; step: number; low?: number; suffix?: string }[] = [
  { key: "number", label: "Number", kind: "plain", high: 999, step: 1, low: 1 },
  { key: "diameter", label: "Diameter", kind: "length", high: 200, step: 0.5 },
  { key: "flute_length", label: "Flute length", kind: "length", high: 500, step: 1 },
  { key: "shank_diameter", label: "Shank", kind: "length", high: 100, step: 0.5 },
  { key: "overall_length", label: "Overall length", kind: "length", high: 1000, step: 1 },
  { key: "flutes", label: "Flutes", kind: "plain", high: 12, step: 1, low: 1 },
  { key: "feed", label: "Feed", kind: "feed", high: 100000, step: 100 },
  { key: "plunge_feed", label: "Plunge feed", kind: "feed", high: 100000, step: 50 },
  { key: "spindle", label: "Spindle", kind: "plain", high: 200000, step: 500, suffix: "/min" },
];

function CutterForm(props: { row: { id: number | null; data: Cutter }; onClose: () => void }) {
  const [data, setData] = useState(props.row.data);
  const { unit } = useUnit();
  const { data: shapes } = useShapes();
  const { save } = useCutterActions();
  return (
    <Ask title={props.row.id === null ? "Add a cutter" : `Change ${props.row.data.name}`} open onClose={props.onClose}>
      <Form>
        <div>
          <WordField label="Name" value={data.name} onChange={(name) => setData({ ...data, name })} autoFocus />
          <Choose label="Shape" value={data.shape} choices={shapes ?? { [data.shape]: data.shape }} onChange={(shape) => setData({ ...data, shape: shape as Cutter["shape"] })} />
          {NUMBERS.map((field) => (
            <NumberField key={field.key} label={field.label} kind={field.kind} unit={unit} value={data[field.key]} high={field.high} step={field.step} {...(field.suffix ? { suffix: field.suffix } : {})}
              {...(field.low === undefined ? { over: 0 } : { low: field.low })} onLive={(value) => value !== null && setData((old) => ({ ...old, [field.key]: value }))}
              onChange={(value) => value !== null && setData((old) => ({ ...old, [field.key]: value }))} />
          ))}
        </div>
        <div className="drawing"><CutterDrawing cutter={data} height={230} /></div>
      </Form>
      {save.error && <Said role="alert">{save.error.message}</Said>}
      <Foot>
        <Button onPress={props.onClose}>Cancel</Button>
        <Button $main isDisabled={!data.name.trim()} onPress={() => save.mutate({ id: props.row.id, data }, { onSuccess: props.onClose })}>Save</Button>
      </Foot>
    </Ask>
  );
}

export function CuttersPage() {
  const { data: rows, error } = useCutters();
  const { remove } = useCutterActions();
  const { unit } = useUnit();
  const [open, setOpen] = useState<{ id: number | null; data: Cutter } | null>(null);
  const [gone, setGone] = useState<CutterRow | null>(null);
  useEffect(() => { document.title = "Cutters · Nephos"; }, []);
  const next = Math.max(0, ...(rows ?? []).map((row) => row.data.number)) + 1;
  return (
    <>
      <TopBar page="cutters"><Button $main onPress={() => setOpen({ id: null, data: { ...FRESH, number: next } })}>Add a cutter</Button></TopBar>
      <Sheet>
        {error && <Said role="alert">{error.message}</Said>}
        <List aria-label="Cutters">
          <TableHeader>
            <Column>No.</Column><Column>Drawn</Column><Column isRowHeader>Name</Column><Column>Diameter</Column><Column>Flute length</Column><Column>Flutes</Column>
            <Column>Feed</Column><Column>Plunge</Column><Column>Spindle</Column><Column> </Column>
          </TableHeader>
          <TableBody items={rows ?? []} renderEmptyState={() => "No cutters yet. Add the first one."}>
            {(row) => (
              <TableRow id={row.id}>
                <Cell>{row.data.number}</Cell><Cell><CutterDrawing cutter={row.data} height={40} /></Cell><Cell>{row.data.name}</Cell><Cell>{lengthText(row.data.diameter, unit)}</Cell>
                <Cell>{lengthText(row.data.flute_length, unit)}</Cell><Cell>{row.data.flutes}</Cell><Cell>{feedText(row.data.feed, unit)}</Cell><Cell>{feedText(row.data.plunge_feed, unit)}</Cell><Cell>{row.data.spindle}</Cell>
                <Cell><Quiet aria-label={`Change ${row.data.name}`} onPress={() => setOpen(row)}>Change</Quiet><Quiet aria-label={`Delete ${row.data.name}`} onPress={() => setGone(row)}>Delete</Quiet></Cell>
              </TableRow>
            )}
          </TableBody>
        </List>
        <p style={{ marginTop: 10 }}>Lengths in {unit}, feeds in {unit} a minute. Jobs keep a cutter as it was when they took it.</p>
      </Sheet>
      {open && <CutterForm key={open.id ?? "new"} row={open} onClose={() => setOpen(null)} />}
      <Ask title={`Delete ${gone?.data.name ?? ""}?`} open={gone !== null} onClose={() => setGone(null)}>
        <p>Jobs that use it keep it.</p>
        <Foot><Button onPress={() => setGone(null)}>Keep it</Button><Button $danger onPress={() => { if (gone) remove.mutate(gone.id); setGone(null); }}>Delete</Button></Foot>
      </Ask>
    </>
  );
}

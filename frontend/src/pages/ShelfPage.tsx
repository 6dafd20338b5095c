/** The shop's materials, and the pieces of stock on its shelf. */
import { useEffect, useState } from "react";
import { Cell, Column, Row as TableRow, TableBody, TableHeader } from "react-aria-components";
import styled from "styled-components";
import { useMaterials, usePieces, useMaterialActions, usePieceActions, type ToKeep } from "../api/shop";
import type { Listed, Material, Piece } from "../api/types";
import { lengthText, type Unit } from "../lib/numbers";
import { Ask, Button, Choose, Foot, Quiet, Said } from "../parts/controls";
import { NumberField, WordField } from "../parts/fields";
import { List, Sheet } from "./CuttersPage";
import { TopBar } from "./TopBar";
import { useUnit } from "./unit";

const Titled = styled.div`
  display: flex;
  justify-content: space-between;
  align-items: center;
  margin: 20px 0 8px;
  & h2 {
    font-size: 15px;
    font-weight: 600;
  }
  &:first-child {
    margin-top: 0;
  }
`;
const Swatch = styled.span`
  display: inline-block;
  width: 26px;
  height: 14px;
  border: 1px solid ${(p) => p.theme.hairline};
  vertical-align: middle;
`;

const GROUPS = Object.fromEntries(["wood", "board", "foam", "wax", "plastic", "metal"].map((name) => [name, name]));
const FRESH_MATERIAL: Material = {
  name: "",
  group: "wood",
  colour: "#C9A977",
  surface_speed: 500,
  chip_load: 0.06,
  cutting_force: 25,
  stepdown: 0.6,
  grain: true,
};
const FRESH_PIECE: Piece = { name: "", material: "lime", length: 300, width: 200, thickness: 30, count: 1 };

type Open<T> = { id: number | null; data: T } | null;

function Form<T extends Material | Piece>(props: {
  title: string;
  row: ToKeep<T>;
  save: { mutate: (row: ToKeep<T>, then: { onSuccess: () => void }) => void; error: Error | null };
  onClose: () => void;
  children: (data: T, change: (part: Partial<T>) => void) => React.ReactNode;
}) {
  const [data, setData] = useState<T>(props.row.data);
  const { save } = props;
  return (
    <Ask title={props.title} open onClose={props.onClose}>
      <WordField label="Name" value={data.name} onChange={(name) => setData({ ...data, name })} />
      {props.children(data, (part) => setData((old) => ({ ...old, ...part })))}
      {save.error && <Said role="alert">{save.error.message}</Said>}
      <Foot>
        <Button onPress={props.onClose}>Cancel</Button>
        <Button
          $main
          isDisabled={!data.name.trim()}
          onPress={() => save.mutate({ id: props.row.id, data }, { onSuccess: props.onClose })}
        >
          Save
        </Button>
      </Foot>
    </Ask>
  );
}

function MaterialForm(props: { row: ToKeep<Material>; onClose: () => void }) {
  const { save } = useMaterialActions();
  return (
    <Form
      title={props.row.id === null ? "Add a material" : `Change ${props.row.data.name}`}
      row={props.row}
      save={save}
      onClose={props.onClose}
    >
      {(data, change) => {
        const number = (
          key: "surface_speed" | "chip_load" | "cutting_force" | "stepdown",
          label: string,
          suffix: string,
          high: number,
          step: number,
        ) => (
          <NumberField
            label={label}
            kind="plain"
            suffix={suffix}
            unit="mm"
            value={data[key]}
            over={0}
            high={high}
            step={step}
            onLive={(value) => value !== null && change({ [key]: value })}
            onChange={(value) => value !== null && change({ [key]: value })}
          />
        );
        return (
          <>
            <Choose
              label="Group"
              value={data.group}
              choices={GROUPS}
              onChange={(group) => change({ group, grain: group === "wood" })}
            />
            <label style={{ display: "flex", justifyContent: "space-between", alignItems: "center" }}>
              Colour
              <input
                type="color"
                value={data.colour}
                onChange={(event) => change({ colour: event.target.value.toUpperCase() })}
              />
            </label>
            {number("surface_speed", "Surface speed", "m/min", 3000, 10)}
            {number("chip_load", "Chip load, 6 mm cutter", "mm", 2, 0.005)}
            {number("cutting_force", "Cutting force", "N/mm²", 10000, 1)}
            {number("stepdown", "Stepdown, diameters", "×", 5, 0.1)}
          </>
        );
      }}
    </Form>
  );
}

function PieceForm(props: { row: ToKeep<Piece>; materials: string[]; unit: Unit; onClose: () => void }) {
  const { save } = usePieceActions();
  const names = Object.fromEntries(
    [...new Set([props.row.data.material, ...props.materials])].map((name) => [name, name]),
  );
  return (
    <Form
      title={props.row.id === null ? "Put a piece on the shelf" : `Change ${props.row.data.name}`}
      row={props.row}
      save={save}
      onClose={props.onClose}
    >
      {(data, change) => (
        <>
          <Choose
            label="Material"
            value={data.material}
            choices={names}
            onChange={(material) => change({ material })}
          />
          {(["length", "width", "thickness"] as const).map((key) => (
            <NumberField
              key={key}
              label={key[0]?.toUpperCase() + key.slice(1)}
              unit={props.unit}
              value={data[key]}
              over={0}
              high={10000}
              step={5}
              onLive={(value) => value !== null && change({ [key]: value })}
              onChange={(value) => value !== null && change({ [key]: value })}
            />
          ))}
          <NumberField
            label="How many"
            kind="plain"
            unit="mm"
            value={data.count}
            low={1}
            high={10000}
            onLive={(value) => value !== null && change({ count: Math.round(value) })}
            onChange={(value) => value !== null && change({ count: Math.round(value) })}
          />
        </>
      )}
    </Form>
  );
}

function Tools<T extends { name: string }>(props: { row: Listed<T>; onChange: () => void; onDelete: () => void }) {
  return (
    <>
      <Quiet aria-label={`Change ${props.row.data.name}`} onPress={props.onChange}>
        Change
      </Quiet>
      <Quiet aria-label={`Delete ${props.row.data.name}`} onPress={props.onDelete}>
        Delete
      </Quiet>
    </>
  );
}

export function ShelfPage() {
  const { data: materials, error } = useMaterials();
  const { data: pieces } = usePieces();
  const { remove: dropMaterial } = useMaterialActions();
  const { remove: dropPiece } = usePieceActions();
  const [material, setMaterial] = useState<Open<Material>>(null);
  const [piece, setPiece] = useState<Open<Piece>>(null);
  const { unit } = useUnit();
  useEffect(() => {
    document.title = "Shelf · Nephos";
  }, []);
  return (
    <>
      <TopBar page="shelf">
        <Button onPress={() => setMaterial({ id: null, data: FRESH_MATERIAL })}>Add a material</Button>
        <Button $main onPress={() => setPiece({ id: null, data: FRESH_PIECE })}>
          Put a piece on the shelf
        </Button>
      </TopBar>
      <Sheet>
        {error && <Said role="alert">{error.message}</Said>}
        <Titled>
          <h2>Pieces on the shelf</h2>
          <span>lengths in {unit}</span>
        </Titled>
        <List aria-label="Pieces on the shelf">
          <TableHeader>
            <Column>No.</Column>
            <Column>Material</Column>
            <Column isRowHeader>Name</Column>
            <Column>Length</Column>
            <Column>Width</Column>
            <Column>Thickness</Column>
            <Column>How many</Column>
            <Column> </Column>
          </TableHeader>
          <TableBody
            items={pieces ?? []}
            renderEmptyState={() =>
              "Nothing on the shelf yet. Put the first piece on it; jobs are then offered those that fit."
            }
          >
            {(row) => (
              <TableRow id={row.id}>
                <Cell>{(pieces ?? []).indexOf(row) + 1}</Cell>
                <Cell>{row.data.material}</Cell>
                <Cell>{row.data.name}</Cell>
                <Cell>{lengthText(row.data.length, unit)}</Cell>
                <Cell>{lengthText(row.data.width, unit)}</Cell>
                <Cell>{lengthText(row.data.thickness, unit)}</Cell>
                <Cell>{row.data.count}</Cell>
                <Cell>
                  <Tools row={row} onChange={() => setPiece(row)} onDelete={() => dropPiece.mutate(row.id)} />
                </Cell>
              </TableRow>
            )}
          </TableBody>
        </List>
        <Titled>
          <h2>Materials</h2>
          <span>cutting data to start from; jobs keep a material as it was when they took it</span>
        </Titled>
        <List aria-label="Materials">
          <TableHeader>
            <Column>Group</Column>
            <Column>Colour</Column>
            <Column isRowHeader>Name</Column>
            <Column>Surface speed, m/min</Column>
            <Column>Chip load, mm</Column>
            <Column>Cutting force, N/mm²</Column>
            <Column>Stepdown, ×</Column>
            <Column> </Column>
          </TableHeader>
          <TableBody items={materials ?? []} renderEmptyState={() => "No materials. Add the first one."}>
            {(row) => (
              <TableRow id={row.id}>
                <Cell>{row.data.group}</Cell>
                <Cell>
                  <Swatch style={{ background: row.data.colour }} />
                </Cell>
                <Cell>{row.data.name}</Cell>
                <Cell>{row.data.surface_speed}</Cell>
                <Cell>{row.data.chip_load}</Cell>
                <Cell>{row.data.cutting_force}</Cell>
                <Cell>{row.data.stepdown}</Cell>
                <Cell>
                  <Tools row={row} onChange={() => setMaterial(row)} onDelete={() => dropMaterial.mutate(row.id)} />
                </Cell>
              </TableRow>
            )}
          </TableBody>
        </List>
      </Sheet>
      {material && <MaterialForm key={material.id ?? "new"} row={material} onClose={() => setMaterial(null)} />}
      {piece && (
        <PieceForm
          key={piece.id ?? "new"}
          row={piece}
          materials={(materials ?? []).map((row) => row.data.name)}
          unit={unit}
          onClose={() => setPiece(null)}
        />
      )}
    </>
  );
}

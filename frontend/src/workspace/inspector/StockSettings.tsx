/** The settings of the stock and of how it is held: what is on the machine, and where its zero is. */
import { useState } from "react";
import { useFittingPieces } from "../../api/jobs";
import { useMachines, useMaterials } from "../../api/shop";
import type { KeepOut, Stock, Zero } from "../../api/types";
import { asPlanned, machineId, travelText } from "../../lib/machines";
import { lengthText } from "../../lib/numbers";
import { Ask, Button, Choose, Foot, Quiet, Said, ToggleQuiet } from "../../parts/controls";
import { NumberField, WordField } from "../../parts/fields";
import { PointGrid } from "../../parts/PointGrid";
import { infoOf, setupOf, useSheetState, withSetup, zeroOf } from "../state";
import { Boards } from "./Boards";
import { RotaryZero } from "./RotarySettings";
import { Buttons, Folded, Head, Note } from "./shared";
import { hasBar, holdingOf } from "../../setups/kinds";

function MachineChoice() {
  const { job, plan, keep } = useSheetState();
  const { data: machines } = useMachines();
  const unit = plan.units ?? "mm";
  const mine = machineId(plan.machine);
  const choices: Record<string, string> = Object.fromEntries(
    (machines ?? []).map((item) => [item.data.id, item.data.name]),
  );
  const found = machines?.find((item) => item.data.id === mine);
  const changed = found !== undefined && JSON.stringify(found.data) !== JSON.stringify(job.machine);
  const take = (id: string) => {
    const item = machines?.find((other) => other.data.id === id);
    if (item) keep({ ...plan, machine: asPlanned(item) } as typeof plan, "machine");
  };
  return (
    <>
      <Choose
        label="Machine"
        value={mine}
        choices={choices[mine] ? choices : { [mine]: `${job.machine.name} (as this job took it)`, ...choices }}
        onChange={take}
      />
      <Note>
        Travels {travelText(job.machine, unit)} {unit}. Findings and times follow the machine.
        {changed && (
          <>
            {" "}
            It was changed since this job took it. <Quiet onPress={() => take(mine)}>Take it as it is now</Quiet>
          </>
        )}
      </Note>
    </>
  );
}

function Sizes() {
  const { plan, edit, liveEdit } = useSheetState();
  const { stock } = plan;
  const unit = plan.units ?? "mm";
  const size = (key: "length" | "width" | "thickness", label: string) => (
    <NumberField
      label={label}
      unit={unit}
      value={stock[key]}
      over={0}
      high={10000}
      onLive={(value) => value !== null && liveEdit({ do: "size_stock", [key]: value })}
      onChange={(value) => value !== null && edit({ do: "size_stock", [key]: value }, `stock ${key}`)}
    />
  );
  return (
    <>
      <Choose
        label="Shape"
        value={stock.kind ?? "box"}
        choices={{ box: "board or block", round: "round bar along X" }}
        onChange={(kind) => edit({ do: "shape_stock", kind }, "stock shape")}
      />
      {size("length", "Length, X")}
      {stock.kind === "round" ? (
        size("width", "Diameter")
      ) : (
        <>
          {size("width", "Width, Y")}
          {size("thickness", "Thickness, Z")}
        </>
      )}
    </>
  );
}

const MARGINS = { left: 10, right: 10, front: 10, back: 10, above: 1, below: 6 };

function FitStock(props: { onClose: () => void }) {
  const { plan, edit } = useSheetState();
  const [margins, setMargins] = useState(MARGINS);
  return (
    <Ask title="Make the stock fit" open onClose={props.onClose}>
      <Note>The stock becomes as large as the models with these margins.</Note>
      {(Object.keys(MARGINS) as (keyof typeof MARGINS)[]).map((side) => (
        <NumberField
          key={side}
          label={side[0]?.toUpperCase() + side.slice(1)}
          unit={plan.units ?? "mm"}
          value={margins[side]}
          low={0}
          high={1000}
          onLive={(value) => value !== null && setMargins((old) => ({ ...old, [side]: value }))}
          onChange={(value) => value !== null && setMargins((old) => ({ ...old, [side]: value }))}
        />
      ))}
      <Foot>
        <Button onPress={props.onClose}>Cancel</Button>
        <Button
          $main
          onPress={() => {
            edit({ do: "fit_stock", ...margins }, "make the stock fit");
            props.onClose();
          }}
        >
          Make it fit
        </Button>
      </Foot>
    </Ask>
  );
}

function FromShelf(props: { onClose: () => void }) {
  const { job, plan, keep } = useSheetState();
  const { data: materials } = useMaterials();
  const { data: fitting, error } = useFittingPieces(job.id, job.revision, true);
  const unit = plan.units ?? "mm";
  const take = (stock: Partial<Stock>) => {
    keep({ ...plan, stock: { ...plan.stock, kind: "box", ...stock } }, "stock from the shelf");
    props.onClose();
  };
  return (
    <Ask title="From the shelf" open onClose={props.onClose}>
      {error && <Said role="alert">{error.message}</Said>}
      {fitting?.length === 0 && (
        <p>No piece on the shelf is large enough for the models with 5 mm all round, 1 mm above and 3 mm below.</p>
      )}
      {fitting?.map(({ piece, turned, same_material, more }) => {
        const material = materials?.find((row) => row.data.name === piece.material)?.data;
        const size = {
          length: turned ? piece.width : piece.length,
          width: turned ? piece.length : piece.width,
          thickness: piece.thickness,
        };
        return (
          <Button
            key={piece.name}
            onPress={() => take({ ...size, ...(material ? { material } : {}), grain: turned ? "y" : "x" })}
            style={{ textAlign: "left", padding: "7px 11px" }}
          >
            <b>{piece.name}</b> —{" "}
            {[size.length, size.width, size.thickness].map((value) => lengthText(value, unit, "measured")).join(" × ")}
            {turned ? ", turned" : ""}
            {same_material ? "" : `, ${piece.material} instead`} · {(more / 1e3).toFixed(0)} cm³ over
          </Button>
        );
      })}
      <Foot>
        <Button onPress={props.onClose}>Cancel</Button>
      </Foot>
    </Ask>
  );
}

function MaterialChoice() {
  const { plan, keep } = useSheetState();
  const { data: materials } = useMaterials();
  const { stock } = plan;
  const mine = stock.material?.name ?? "lime";
  const names = [...new Set([mine, ...(materials ?? []).map((row) => row.data.name)])];
  const take = (name: string) => {
    const material = materials?.find((row) => row.data.name === name)?.data;
    if (material) keep({ ...plan, stock: { ...stock, material } }, "material");
  };
  return (
    <>
      <Choose
        label="Material"
        value={mine}
        choices={Object.fromEntries(names.map((name) => [name, name]))}
        onChange={take}
      />
      {stock.material?.grain !== false && (
        <Choose
          label="Grain runs"
          value={stock.grain ?? "x"}
          choices={{ x: "along X", y: "along Y" }}
          onChange={(grain) => keep({ ...plan, stock: { ...stock, grain: grain as "x" } }, "grain")}
        />
      )}
    </>
  );
}

function WorkZero() {
  const { plan, derived, live, keep, setupId } = useSheetState();
  const unit = plan.units ?? "mm";
  const zero = zeroOf(plan, setupId);
  const place = (change: Partial<Zero>) =>
    keep(withSetup(plan, setupId, { zero: { ...zero, at: null, ...change } }), "zero");
  const typed = zero.at ?? null;
  const onBar = hasBar(plan);
  return (
    <>
      <Head>Work zero</Head>
      <Note>
        Touch off the <b>{infoOf(derived, setupId)?.zero}</b>.
      </Note>
      <div
        style={{ display: "grid", gridTemplateColumns: "104px 1fr", gap: 12, alignItems: "center", margin: "6px 0" }}
      >
        <PointGrid
          label="Work zero seen from above"
          x={typed ? null : zero.x}
          y={typed ? null : zero.y}
          onChange={(x, y) => place({ x, y })}
        />
        <div style={{ display: "grid", gap: 6 }}>
          <Choose
            wide
            label="Zero along Z"
            value={typed ? "typed" : zero.z}
            choices={{
              top: "top face",
              bottom: "underside",
              bed: "bed",
              ...(onBar ? { axis: "axis of the bar" } : {}),
              ...(typed ? { typed: "typed point" } : {}),
            }}
            onChange={(z) => z !== "typed" && place({ z: z as "top" })}
          />
          <ToggleQuiet
            isSelected={Boolean(typed)}
            onChange={(on) =>
              place({ at: on ? [0, 0, infoOf(derived, setupId)?.size[2] ?? plan.stock.thickness] : null })
            }
          >
            Typed point
          </ToggleQuiet>
        </div>
      </div>
      {typed &&
        (["X from the left", "Y from the front", "Z from below"] as const).map((label, axis) => {
          const with_ = (value: number) =>
            withSetup(plan, setupId, {
              zero: { ...zero, at: typed.map((old, k) => (k === axis ? value : old)) as [number, number, number] },
            });
          return (
            <NumberField
              key={label}
              label={label}
              unit={unit}
              value={typed[axis] ?? 0}
              low={-10000}
              high={10000}
              onLive={(value) => value !== null && live(with_(value))}
              onChange={(value) => value !== null && keep(with_(value), "zero")}
            />
          );
        })}
    </>
  );
}

const FRESH: Omit<KeepOut, "id"> = { name: "clamp", shape: "box", at: [0, 0], foot: 0, size: [40, 20, 40] };

function KeepOutForm(props: { item: KeepOut; onSave: (item: KeepOut) => void; onClose: () => void }) {
  const { plan } = useSheetState();
  const [item, setItem] = useState(props.item);
  const unit = plan.units ?? "mm";
  const number = (label: string, value: number, change: (value: number) => Partial<KeepOut>, over?: number) => (
    <NumberField
      label={label}
      unit={unit}
      value={value}
      {...(over === undefined ? { low: -10000 } : { over })}
      high={10000}
      onLive={(next) => next !== null && setItem((old) => ({ ...old, ...change(next) }))}
      onChange={(next) => next !== null && setItem((old) => ({ ...old, ...change(next) }))}
    />
  );
  const { size, at } = item;
  return (
    <Ask title="Keep-out" open onClose={props.onClose}>
      <WordField label="Name" value={item.name} onChange={(name) => setItem({ ...item, name })} />
      <Choose
        label="Shape"
        value={item.shape}
        choices={{ box: "box: a clamp", cylinder: "cylinder: a screw" }}
        onChange={(shape) => setItem({ ...item, shape: shape as "box" })}
      />
      {number("Middle at, X", at[0], (value) => ({ at: [value, at[1]] }))}
      {number("Middle at, Y", at[1], (value) => ({ at: [at[0], value] }))}
      {number("Foot over the bed side, Z", item.foot, (foot) => ({ foot }))}
      {number(
        item.shape === "box" ? "Size X" : "Diameter",
        size[0],
        (value) => ({ size: [value, item.shape === "box" ? size[1] : value, size[2]] }),
        0,
      )}
      {item.shape === "box" && number("Size Y", size[1], (value) => ({ size: [size[0], value, size[2]] }), 0)}
      {number("Height", size[2], (value) => ({ size: [size[0], size[1], value] }), 0)}
      <Foot>
        <Button onPress={props.onClose}>Cancel</Button>
        <Button $main isDisabled={!item.name.trim()} onPress={() => props.onSave(item)}>
          Save
        </Button>
      </Foot>
    </Ask>
  );
}

function KeepOuts() {
  const { plan, keep, setupId } = useSheetState();
  const [open, setOpen] = useState<KeepOut | null>(null);
  const items = (setupOf(plan, setupId).keep_outs ?? []) as KeepOut[];
  const write = (list: KeepOut[], note: string) => keep(withSetup(plan, setupId, { keep_outs: list }), note);
  const next = `k${1 + Math.max(0, ...items.map((item) => Number(item.id.slice(1)) || 0))}`;
  return (
    <Folded title="Clamps and screws" short={items.length ? String(items.length) : "none"}>
      {items.map((item) => (
        <Buttons key={item.id}>
          <Quiet onPress={() => setOpen(item)}>
            {item.name} at {lengthText(item.at[0], plan.units ?? "mm", "measured")},{" "}
            {lengthText(item.at[1], plan.units ?? "mm", "measured")}
          </Quiet>
          <Quiet
            aria-label={`Take out ${item.name}`}
            onPress={() =>
              write(
                items.filter((other) => other.id !== item.id),
                "take a clamp out",
              )
            }
          >
            ×
          </Quiet>
        </Buttons>
      ))}
      <Buttons>
        <Quiet onPress={() => setOpen({ id: next, ...FRESH, size: [40, 20, plan.stock.thickness + 12] })}>
          + Add a clamp or screw
        </Quiet>
      </Buttons>
      {open && (
        <KeepOutForm
          key={open.id}
          item={open}
          onClose={() => setOpen(null)}
          onSave={(item) => {
            write(
              items.some((other) => other.id === item.id)
                ? items.map((other) => (other.id === item.id ? item : other))
                : [...items, item],
              "clamp",
            );
            setOpen(null);
          }}
        />
      )}
    </Folded>
  );
}

/** How the stock is held in the setup that is shown: zero, clamps, clearance. */
export function Held() {
  const { plan, keep, setupId } = useSheetState();
  const unit = plan.units ?? "mm";
  const setup = setupOf(plan, setupId);
  return (
    <>
      <WorkZero />
      <div style={{ marginTop: 10 }} />
      <KeepOuts />
      <Folded title="Clearance and bed" short={`clear ${lengthText(setup.clearance ?? 5, unit)}`}>
        <NumberField
          label="Clearance over stock"
          unit={unit}
          value={setup.clearance ?? 5}
          over={0}
          high={500}
          onChange={(value) => value !== null && keep(withSetup(plan, setupId, { clearance: value }), "clearance")}
        />
        <NumberField
          label="Packing under stock"
          unit={unit}
          value={setup.packing ?? 0}
          low={0}
          high={500}
          help="between bed and stock"
          onChange={(value) => value !== null && keep(withSetup(plan, setupId, { packing: value }), "packing")}
        />
        {(["X", "Y"] as const).map((name, axis) => (
          <NumberField
            key={name}
            label={`Park at ${name}`}
            unit={unit}
            value={setup.home?.[axis] ?? null}
            empty="stays"
            low={-10000}
            high={10000}
            help="where the cutter is left at the end, from the zero"
            onChange={(value) =>
              keep(
                withSetup(plan, setupId, {
                  home:
                    value === null
                      ? null
                      : ([0, 1].map((k) => (k === axis ? value : (setup.home?.[k] ?? 0))) as [number, number]),
                }),
                "park",
              )
            }
          />
        ))}
      </Folded>
    </>
  );
}

export function StockSettings() {
  const { plan, derived, keep, problem, setupId } = useSheetState();
  const [asking, setAsking] = useState<"fit" | "shelf" | null>(null);
  const unit = plan.units ?? "mm";
  return (
    <>
      <h2>00 Stock</h2>
      <p className="sub">what is on the machine</p>
      <Sizes />
      <Buttons>
        <Quiet onPress={() => setAsking("fit")}>Make the stock fit…</Quiet>
        <Quiet onPress={() => setAsking("shelf")}>From the shelf…</Quiet>
      </Buttons>
      {problem && <Said role="alert">{problem}</Said>}
      <Boards />
      <MaterialChoice />
      {holdingOf(setupOf(plan, setupId)) ? <RotaryZero /> : <Held />}
      <MachineChoice />
      <Folded
        title="Accuracy"
        short={`${lengthText(plan.tolerance ?? 0.01, unit)} · pitch ${lengthText(derived.pitch, unit)}`}
      >
        <NumberField
          label="Tolerance"
          unit={unit}
          value={plan.tolerance ?? 0.01}
          low={0.0005}
          high={1}
          step={0.005}
          onChange={(value) => value !== null && keep({ ...plan, tolerance: value }, "tolerance")}
        />
        <NumberField
          label="Pitch of the block"
          unit={unit}
          value={plan.pitch ?? null}
          empty={lengthText(derived.pitch, unit)}
          low={0.02}
          high={10}
          step={0.05}
          onChange={(pitch) => keep({ ...plan, pitch }, "pitch")}
        />
      </Folded>
      {asking === "fit" && <FitStock onClose={() => setAsking(null)} />}
      {asking === "shelf" && <FromShelf onClose={() => setAsking(null)} />}
    </>
  );
}

/** The settings of a rotary setup: chuck, tailstock, core, and where its zero is. */
import type { EditOf, Rotary, Zero } from "../../api/types";
import { Choose, Said } from "../../parts/controls";
import { NumberField, WordField } from "../../parts/fields";
import { infoOf, setupOf, useSheetState, withSetup, zeroOf } from "../state";
import { Head, Note } from "./shared";

type LengthKey = "grip" | "chuck_diameter" | "centre_diameter" | "clearance" | "core" | "spigot";

export function RotarySettings(props: { rotary: Rotary }) {
  const { plan, edit, liveEdit, problem, setupId } = useSheetState();
  const { rotary } = props;
  const setup = setupOf(plan, setupId);
  const unit = plan.units ?? "mm";
  const change = (what: Partial<Rotary>): EditOf<"set_rotary"> => ({ do: "set_rotary", setup: setup.id, change: what });
  const length = (key: LengthKey, label: string, help: string) => (
    <NumberField
      label={label}
      help={help}
      unit={unit}
      value={rotary[key] ?? 0}
      low={0}
      high={2000}
      onLive={(value) => value !== null && liveEdit(change({ [key]: value }))}
      onChange={(value) => value !== null && edit(change({ [key]: value }), label.toLowerCase())}
    />
  );
  return (
    <>
      <h2>{setup.name}</h2>
      <p className="sub">how the bar is held, and what is touched off</p>
      {problem && <Said role="alert">{problem}</Said>}
      <WordField
        label="Name"
        value={setup.name}
        onChange={(name) => name.trim() && edit({ do: "change_setup", setup: setup.id, change: { name } }, "rename")}
      />
      <Choose
        label="Chuck"
        value={rotary.chuck ?? "left"}
        choices={{ left: "left end", right: "right end" }}
        onChange={(chuck) => edit(change({ chuck: chuck as "left" | "right" }), "chuck")}
      />
      {length("grip", "Grip", "how much of the bar is in the jaws")}
      {length("chuck_diameter", "Chuck diameter", "with its jaws")}
      <Choose
        label="Tailstock"
        value={rotary.tailstock ?? "centre"}
        choices={{ centre: "centre", none: "none" }}
        onChange={(tailstock) => edit(change({ tailstock: tailstock as "centre" | "none" }), "tailstock")}
      />
      {rotary.tailstock !== "none" && length("centre_diameter", "Centre diameter", "of the tailstock centre")}
      {length("clearance", "Clearance", "of cutter and holder from chuck and tailstock")}
      {length("core", "Core diameter", "from end to end, never cut; 0 for none")}
      {rotary.tailstock !== "none" &&
        length("spigot", "Spigot diameter", "left between model and tailstock; 0 for the core alone")}
      <Choose
        label="Ends left thick"
        value={rotary.thick_ends ?? "none"}
        choices={{ none: "none", chuck: "at the chuck", tailstock: "at the tailstock", both: "both" }}
        onChange={(ends) => edit(change({ thick_ends: ends as Rotary["thick_ends"] }), "ends left thick")}
      />
      <Note>Cutters stop at the model's end there; parting grooves go beside it.</Note>
      <RotaryZero />
    </>
  );
}

/** Where the work zero of a bar is. */
export function RotaryZero() {
  const { plan, derived, keep, setupId } = useSheetState();
  const zero = (part: Partial<Zero>) =>
    keep(withSetup(plan, setupId, { zero: { ...zeroOf(plan, setupId), ...part } }), "work zero");
  return (
    <>
      <Head>Work zero</Head>
      <Choose
        label="Along the bar"
        value={zeroOf(plan, setupId).x ?? "low"}
        choices={{ low: "left end", centre: "middle", high: "right end" }}
        onChange={(x) => zero({ x: x as Zero["x"] })}
      />
      <Choose
        label="Height"
        value={zeroOf(plan, setupId).z ?? "axis"}
        choices={{ axis: "on the axis", top: "on the bar's surface" }}
        onChange={(z) => zero({ z: z as Zero["z"] })}
      />
      <Note>Zero: {infoOf(derived, setupId)?.zero}.</Note>
    </>
  );
}

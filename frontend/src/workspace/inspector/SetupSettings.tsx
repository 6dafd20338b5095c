/** The settings of a setup: which side lies up, its zero, its clamps. */
import type { EditOf } from "../../api/types";
import { Choose, Said } from "../../parts/controls";
import { WordField } from "../../parts/fields";
import { infoOf, setupOf, useSheetState } from "../state";
import { SIDES } from "../SetupTools";
import { RotarySettings } from "./RotarySettings";
import { AngleAboutX, Note } from "./shared";
import { Held } from "./StockSettings";
import { TileSettings } from "./TileSettings";
import { lengthText } from "../../lib/numbers";
import { holdingOf, sideOf, sideUp } from "../../setups/kinds";

export function SetupSettings() {
  const { plan, derived, edit, liveEdit, problem, setupId } = useSheetState();
  const setup = setupOf(plan, setupId);
  const info = infoOf(derived, setupId);
  const unit = plan.units ?? "mm";
  const rotary = holdingOf(setup);
  const face = sideUp(setup);
  if (rotary) return <RotarySettings rotary={rotary} />;
  const change = (what: Record<string, unknown>): EditOf<"change_setup"> => ({
    do: "change_setup",
    setup: setup.id,
    change: what,
  });
  return (
    <>
      <h2>{setup.name}</h2>
      <p className="sub">how the stock lies, and what is touched off</p>
      {problem && <Said role="alert">{problem}</Said>}
      <WordField label="Name" value={setup.name} onChange={(name) => name.trim() && edit(change({ name }), "rename")} />
      <Choose
        label="Side up"
        value={sideOf(setup)}
        choices={SIDES}
        onChange={(side) => edit(change({ side }), "side up")}
      />
      {face?.side === "angle" && (
        <AngleAboutX
          value={face.angle ?? 0}
          onLive={(angle) => liveEdit(change({ angle }))}
          onChange={(angle) => edit(change({ angle }), "angle")}
        />
      )}
      {face?.side === "bottom" && (
        <Choose
          label="Turned about"
          value={face.about ?? "x"}
          choices={{ x: "X: front and back change places", y: "Y: left and right change places" }}
          onChange={(about) => edit(change({ about }), "turned about")}
        />
      )}
      {info && (
        <Note>
          The stock is {info.size.map((value) => lengthText(value, unit, "measured")).join(" × ")} {unit} as it lies
          here.
        </Note>
      )}
      <TileSettings setup={setup} />
      <Held />
    </>
  );
}

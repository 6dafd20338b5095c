/** The outline of the part as the second face is cut where the stock is not found again exactly, beside the true one. */
import { useMemo } from "react";
import { useTheme } from "styled-components";
import * as THREE from "three";
import type { Faces } from "../api/types";
import { displaced, enlargement } from "../lib/registration";
import type { Rim, Spot } from "../lib/rims";
import { lengthText } from "../lib/numbers";
import { infoOf, useSheetState } from "../workspace/state";
import { Card, Swatch } from "./cards";
import { LevelLine } from "./LevelLine";
import { matrixOf } from "./Pieces";

/** The assumed error of the stock's place in the second setup, and how many times it is drawn; none where it is none. */
function useError() {
  const { plan, derived } = useSheetState();
  const step = derived.faces?.step ?? 0;
  const registration = (plan.faces as Faces | null | undefined)?.registration;
  const { length, width } = plan.stock;
  return useMemo(() => {
    if (!registration || step <= 0) return null;
    const { dx = 0, dy = 0, rotation = 0 } = registration;
    return { error: { dx, dy, rotation }, times: enlargement(step, Math.max(length, width)), step };
  }, [registration, step, length, width]);
}

/** Drawn in stock space, at the parting height: `outlines` are those of the part there. */
export function RegistrationOutline(props: { outlines: Rim[] }) {
  const { plan, derived } = useSheetState();
  const theme = useTheme();
  const found = useError();
  const second = infoOf(derived, plan.setups[1]?.id ?? "");
  const faces = plan.faces as Faces | null | undefined;
  const { outlines } = props;
  const { length, width } = plan.stock;
  const moved = useMemo(() => {
    if (!found || !second) return [];
    const there = matrixOf(second.matrix),
      back = there.clone().invert();
    const inSecond = (spot: Spot) => new THREE.Vector3(spot[0], spot[1], 0).applyMatrix4(there);
    const centre = inSecond([length / 2, width / 2]);
    return outlines.map((rim) =>
      rim.map((spot): Spot => {
        const at = inSecond(spot);
        const [x, y] = displaced([at.x, at.y], [centre.x, centre.y], found.error, found.times);
        const off = new THREE.Vector3(x, y, at.z).applyMatrix4(back);
        return [off.x, off.y];
      }),
    );
  }, [found, second, outlines, length, width]);
  if (!faces) return null;
  return moved.map((rim, k) => <LevelLine key={k} spots={rim} z={faces.parting} tone={theme.stop} dashed />);
}

/** What the dashed outline says, in words. */
export function RegistrationLegend() {
  const { plan } = useSheetState();
  const theme = useTheme();
  const found = useError();
  if (!found) return null;
  const unit = plan.units ?? "mm";
  return (
    <Card data-testid="registration-legend">
      <Swatch $tone={theme.stop} />
      second face with the registration error, drawn {found.times}×: step up to{" "}
      {lengthText(found.step, unit, "measured")} {unit}
    </Card>
  );
}

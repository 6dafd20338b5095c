/** The models as they are placed, with the faults of the chosen one; a relief that is edited is drawn piece by piece. */
import * as THREE from "three";
import type { Model } from "../api/types";
import { placedOf } from "../api/types";
import { setupOf, useSheetState } from "../workspace/state";
import { FaultMarks } from "./FaultMarks";
import { matrixOf, ModelPiece } from "./Pieces";
import { ReliefSurface } from "./ReliefSurface";
import { sideOf } from "../setups/kinds";

/** `toSetup` takes stock space to the setup that is looked at; `size` is that of the grips. */
export function PlacedModels(props: { models: Model[]; toSetup: THREE.Matrix4; size: number }) {
  const { plan, derived, chosen, faults, setupId } = useSheetState();
  const { toSetup } = props;
  return props.models.map((model) => {
    const placed = placedOf(derived, model.id);
    if (!placed) return null;
    const isChosen = chosen.kind === "model" && chosen.id === model.id;
    if (model.composition && (isChosen || placed.state !== "ready"))
      return <ReliefSurface key={model.id} model={model} placed={placed} toSetup={toSetup} size={props.size} />;
    // In setup space: what lies under the model's own foot is sunk.
    const floor = (placed.low[2] as number) + (toSetup.elements[14] as number);
    const clip = sideOf(setupOf(plan, setupId)) === "top" && (model.placement?.sink ?? 0) > 0 ? floor : -1e6;
    return placed.matrices.map((rows, k) => {
      const matrix = toSetup.clone().multiply(matrixOf(rows));
      return (
        <group key={`${model.id} ${k}`}>
          <ModelPiece id={model.id} look={placed.look} matrix={matrix} floor={clip} />
          {faults && isChosen && <FaultMarks look={placed.look} fault={faults} matrix={matrix} />}
        </group>
      );
    });
  });
}

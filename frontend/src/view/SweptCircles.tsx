/** The circles that models sweep at both of their ends about the axis of a bar. */
import { useMemo } from "react";
import * as THREE from "three";
import { placedOf } from "../api/types";
import { scene } from "../theme";
import { useSheetState } from "../workspace/state";

function Circle(props: { x: number; middle: number; radius: number }) {
  const { x, middle, radius } = props;
  const line = useMemo(() => {
    const points = Array.from({ length: 65 }, (_, k) => {
      const a = (k * Math.PI) / 32;
      return new THREE.Vector3(x, middle + radius * Math.cos(a), middle + radius * Math.sin(a));
    });
    const made = new THREE.Line(
      new THREE.BufferGeometry().setFromPoints(points),
      new THREE.LineDashedMaterial({ color: scene.entry, dashSize: 2, gapSize: 1.5 }),
    );
    made.computeLineDistances();
    return made;
  }, [x, middle, radius]);
  return <primitive object={line} />;
}

export function SweptCircles(props: { matrix: THREE.Matrix4 }) {
  const { plan, derived } = useSheetState();
  return (
    <group matrix={props.matrix} matrixAutoUpdate={false}>
      {plan.models.map((model) => {
        const placed = placedOf(derived, model.id);
        if (!placed?.swept) return null;
        return [placed.low[0] as number, placed.high[0] as number].map((x) => (
          <Circle key={`${model.id} ${x}`} x={x} middle={plan.stock.width / 2} radius={(placed.swept as number) / 2} />
        ));
      })}
    </group>
  );
}

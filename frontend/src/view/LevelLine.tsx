/** A line at one height. */
import { useMemo } from "react";
import * as THREE from "three";
import type { Spot } from "../lib/rims";

/** A line through places on the plan at a height, in stock space. */
export function LevelLine(props: { spots: Spot[]; z: number; tone: string; dashed?: boolean }) {
  const { spots } = props;
  const line = useMemo(() => {
    const points = spots.map(([x, y]) => new THREE.Vector3(x, y, props.z));
    const made = new THREE.Line(
      new THREE.BufferGeometry().setFromPoints(points),
      props.dashed
        ? new THREE.LineDashedMaterial({ color: props.tone, dashSize: 4, gapSize: 3 })
        : new THREE.LineBasicMaterial({ color: props.tone }),
    );
    made.computeLineDistances();
    return made;
  }, [spots, props.z, props.tone, props.dashed]);
  return <primitive object={line} />;
}

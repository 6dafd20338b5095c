/** What holds a bar that rotates, and its core: bodies in the view. */
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import type { SetupInfo } from "../api/types";
import { scene } from "../theme";

type Bar = NonNullable<SetupInfo["bar"]>;

/** How much of the chuck's body is drawn beyond the bar, mm. */
const BODY = 30;

/** A cylinder about the axis X from x0 to x1. */
function Round(props: { x0: number; x1: number; radius: number; tip?: number; tone: string; opacity: number }) {
  const { x0, x1, radius, tip } = props;
  const geometry = useMemo(() => {
    const made = new THREE.CylinderGeometry(tip ?? radius, radius, Math.abs(x1 - x0), 48);
    made.rotateZ(x1 > x0 ? -Math.PI / 2 : Math.PI / 2);
    made.translate((x0 + x1) / 2, 0, 0);
    return made;
  }, [x0, x1, radius, tip]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  return (
    <mesh geometry={geometry}>
      <meshStandardMaterial color={props.tone} roughness={0.7} transparent opacity={props.opacity} />
    </mesh>
  );
}

/** Chuck and tailstock, in the frame whose axis is X; `length` is that of the bar. */
export function BarHolders(props: { bar: Bar; length: number; core: boolean }) {
  const { bar, length } = props;
  const left = bar.chuck === "left";
  const other = left ? length : 0,
    out = left ? 1 : -1;
  return (
    <group userData={{ aside: true }}>
      <Round
        x0={left ? -BODY : length - bar.grip}
        x1={left ? bar.grip : length + BODY}
        radius={bar.chuck_diameter / 2}
        tone={scene.edge}
        opacity={0.45}
      />
      {bar.tailstock === "centre" && (
        <Round
          x0={other + 1.2 * BODY * out}
          x1={other}
          radius={bar.centre_diameter / 2}
          tip={0.4}
          tone={scene.edge}
          opacity={0.75}
        />
      )}
      {props.core && bar.core > 0 && <Round x0={0} x1={length} radius={bar.core / 2} tone={scene.zero} opacity={0.5} />}
    </group>
  );
}

/** The faults of a mesh, shown where they are. */
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import { useBlockDetail } from "../api/results";
import { scene } from "../theme";
import type { Fault } from "../workspace/state";

const LINES: Fault[] = ["holes", "nonmanifold"];

export function FaultMarks(props: { look: string; fault: Fault; matrix: THREE.Matrix4 }) {
  const { data } = useBlockDetail(props.look, props.fault);
  const lines = LINES.includes(props.fault);
  const geometry = useMemo(() => {
    if (!data) return null;
    const made = new THREE.BufferGeometry();
    made.setAttribute("position", new THREE.BufferAttribute(data.data, 3));
    return made;
  }, [data]);
  useEffect(() => () => geometry?.dispose(), [geometry]);
  if (!geometry) return null;
  return lines ? (
    <lineSegments geometry={geometry} matrix={props.matrix} matrixAutoUpdate={false} renderOrder={8}>
      <lineBasicMaterial color={scene.gouge} depthTest={false} />
    </lineSegments>
  ) : (
    <mesh geometry={geometry} matrix={props.matrix} matrixAutoUpdate={false} renderOrder={8}>
      <meshBasicMaterial color={scene.gouge} side={THREE.DoubleSide} depthTest={false} transparent opacity={0.75} />
    </mesh>
  );
}

/** What stands in the view besides block and paths: model, stock, zero, cutter. */
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import { useBlockDetail, usePicture } from "../api/results";
import { scene } from "../theme";
import { usePaceContext } from "./pace";

export const matrixOf = (rows: number[][]) =>
  new THREE.Matrix4().set(...(rows.flat() as Parameters<THREE.Matrix4["set"]>));

/** A model, drawn from its lighter picture; `matrix` takes it from its file to the setup, and nothing of it is drawn below `floor`. */
export function ModelPiece(props: { id: string; look: string; matrix: THREE.Matrix4; floor: number }) {
  const { coarse } = usePaceContext();
  const { data: full } = usePicture(props.look);
  const { data: light } = usePicture(props.look, "light_");
  const data = coarse ? (light ?? full) : full;
  // What is sunk is not cut, and so not shown: a plane in setup space takes it away.
  const clip = useMemo(() => [new THREE.Plane(new THREE.Vector3(0, 0, 1), -props.floor + 1e-4)], [props.floor]);
  const geometry = useMemo(() => {
    if (!data) return null;
    const made = new THREE.BufferGeometry();
    made.setAttribute("position", new THREE.BufferAttribute(data.vertices, 3));
    made.setIndex(new THREE.BufferAttribute(Uint32Array.from(data.faces), 1));
    made.computeVertexNormals();
    return made;
  }, [data]);
  useEffect(() => () => geometry?.dispose(), [geometry]);
  if (!geometry) return null;
  return (
    <mesh geometry={geometry} matrix={props.matrix} matrixAutoUpdate={false} userData={{ model: props.id }}>
      <meshStandardMaterial color={scene.model} roughness={0.85} side={THREE.DoubleSide} clippingPlanes={clip} />
    </mesh>
  );
}

/** A round bar as rings at its ends and lines along it, lying along X in stock space. */
export function BarEdges(props: { length: number; diameter: number; matrix: THREE.Matrix4 }) {
  const geometry = useMemo(() => {
    const r = props.diameter / 2,
      points: THREE.Vector3[] = [];
    const at = (x: number, k: number) =>
      new THREE.Vector3(x, r + r * Math.cos((k * Math.PI) / 24), r + r * Math.sin((k * Math.PI) / 24));
    for (let k = 0; k < 48; k++) {
      for (const x of [0, props.length]) points.push(at(x, k), at(x, k + 1));
      if (k % 12 === 0) points.push(at(0, k), at(props.length, k));
    }
    return new THREE.BufferGeometry().setFromPoints(points);
  }, [props.length, props.diameter]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  return (
    <lineSegments geometry={geometry} matrix={props.matrix} matrixAutoUpdate={false}>
      <lineBasicMaterial color={scene.edge} />
    </lineSegments>
  );
}

/** The stock as twelve edges. */
export function StockEdges(props: { low: number[]; high: number[] }) {
  const geometry = useMemo(() => {
    const size = [0, 1, 2].map((k) => (props.high[k] as number) - (props.low[k] as number)) as [number, number, number];
    const made = new THREE.EdgesGeometry(new THREE.BoxGeometry(...size));
    made.translate(
      ...([0, 1, 2].map((k) => ((props.high[k] as number) + (props.low[k] as number)) / 2) as [number, number, number]),
    );
    return made;
  }, [props.low, props.high]);
  return (
    <lineSegments geometry={geometry}>
      <lineBasicMaterial color={scene.edge} />
    </lineSegments>
  );
}

/** The work zero: a ring with its three directions. */
export function ZeroMark(props: { size: number; hot?: boolean }) {
  const s = props.size;
  const arrow = (direction: [number, number, number], tone: string) => (
    <arrowHelper args={[new THREE.Vector3(...direction), new THREE.Vector3(), s, tone, s * 0.28, s * 0.14]} />
  );
  return (
    <group>
      <mesh renderOrder={5}>
        <torusGeometry args={[s * 0.3, s * (props.hot ? 0.055 : 0.04), 10, 40]} />
        <meshBasicMaterial color={scene.zero} depthTest={false} />
      </mesh>
      <mesh renderOrder={5}>
        <sphereGeometry args={[s * 0.1, 16, 12]} />
        <meshBasicMaterial color={scene.zero} depthTest={false} />
      </mesh>
      {arrow([1, 0, 0], "#A8321F")}
      {arrow([0, 1, 0], "#3F7A3A")}
      {arrow([0, 0, 1], "#2C5F8A")}
    </group>
  );
}

/** The cutter with its tip at a place, from its section. */
export function CutterPiece(props: { section: [number, number][]; at: [number, number, number] }) {
  const geometry = useMemo(
    () =>
      new THREE.LatheGeometry(
        props.section.map(([r, z]) => new THREE.Vector2(r, z)),
        32,
      ).rotateX(Math.PI / 2),
    [props.section],
  );
  useEffect(() => () => geometry.dispose(), [geometry]);
  return (
    <mesh geometry={geometry} position={props.at}>
      <meshStandardMaterial color="#4A5459" roughness={0.5} metalness={0.3} side={THREE.DoubleSide} />
    </mesh>
  );
}

/** A closed outline, such as a boundary, at a height. */
export function Outline(props: { low: [number, number]; high: [number, number]; z: number; tone: string }) {
  const geometry = useMemo(() => {
    const [x0, y0] = props.low,
      [x1, y1] = props.high,
      z = props.z;
    return new THREE.BufferGeometry().setFromPoints(
      [
        [x0, y0],
        [x1, y0],
        [x1, y1],
        [x0, y1],
      ].map(([x, y]) => new THREE.Vector3(x, y, z)),
    );
  }, [props.low, props.high, props.z]);
  return (
    <lineLoop geometry={geometry}>
      <lineBasicMaterial color={props.tone} />
    </lineLoop>
  );
}

/** The rings of a boundary that a worker has drawn, at a height. */
export function OutlineRings(props: { outline: string; z: number; tone: string }) {
  const { data: points } = useBlockDetail<Float64Array>(props.outline, "points");
  const { data: ends } = useBlockDetail<BigInt64Array>(props.outline, "ends");
  const geometry = useMemo(() => {
    if (!points || !ends) return null;
    const segments: THREE.Vector3[] = [];
    const at = (k: number) => new THREE.Vector3(points.data[2 * k], points.data[2 * k + 1], props.z);
    let first = 0;
    for (const end of ends.data) {
      for (let k = first; k + 1 < Number(end); k++) segments.push(at(k), at(k + 1));
      first = Number(end);
    }
    return new THREE.BufferGeometry().setFromPoints(segments);
  }, [points, ends, props.z]);
  useEffect(() => () => geometry?.dispose(), [geometry]);
  return (
    geometry && (
      <lineSegments geometry={geometry} renderOrder={6}>
        <lineBasicMaterial color={props.tone} depthTest={false} />
      </lineSegments>
    )
  );
}

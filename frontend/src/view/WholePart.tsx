/** The block after all setups, as one solid: to be looked at from every side. */
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import { useBlockDetail } from "../api/hooks";
import { planeOf, type Section } from "../lib/section";
import { scene } from "../theme";

const BEYOND = new THREE.Color("#CFCAC0");

/** The colour of a deviation: pale within the limit, violet for what is left, red for what is gouged. */
export function deviationColour(d: number, limit: number, most: number, into: THREE.Color): THREE.Color {
  if (Number.isNaN(d)) return into.copy(BEYOND);
  const over = Math.min(Math.max((Math.abs(d) - limit) / Math.max(most - limit, 1e-4), 0), 1);
  into.set(scene.within);
  if (Math.abs(d) <= limit) return into;
  return into.lerp(new THREE.Color(d < 0 ? scene.gouge : scene.leftover), 0.25 + 0.75 * Math.sqrt(over));
}

export function WholePart(props: {
  part: string;
  matrix: THREE.Matrix4;
  colour: string;
  section: Section;
  compare: { limit: number; most: number } | null;
}) {
  const { data: vertices } = useBlockDetail<Float32Array>(props.part, "vertices");
  const { data: faces } = useBlockDetail<Int32Array>(props.part, "faces");
  const { data: deviation } = useBlockDetail<Float32Array>(props.compare ? props.part : undefined, "deviation");
  const { limit = 0, most = 1 } = props.compare ?? {};
  const geometry = useMemo(() => {
    if (!vertices || !faces) return null;
    const made = new THREE.BufferGeometry();
    made.setAttribute("position", new THREE.BufferAttribute(vertices.data, 3));
    made.setIndex(new THREE.BufferAttribute(Uint32Array.from(faces.data), 1));
    return made;
  }, [vertices, faces]);
  const colours = useMemo(() => {
    if (!deviation) return null;
    const found = new Float32Array(3 * deviation.data.length),
      tone = new THREE.Color();
    deviation.data.forEach((d, k) => deviationColour(d, limit, most, tone).toArray(found, 3 * k));
    return found;
  }, [deviation, limit, most]);
  useEffect(() => {
    if (!geometry) return;
    if (colours) geometry.setAttribute("color", new THREE.BufferAttribute(colours, 3));
    else geometry.deleteAttribute("color");
  }, [geometry, colours]);
  useEffect(() => () => geometry?.dispose(), [geometry]);
  const [a, b, c, d] = planeOf(props.section);
  const planes = useMemo(() => (a || b || c ? [new THREE.Plane(new THREE.Vector3(-a, -b, -c), d)] : []), [a, b, c, d]);
  if (!geometry) return null;
  const painted = props.compare !== null && colours !== null;
  return (
    <mesh geometry={geometry} matrix={props.matrix} matrixAutoUpdate={false} frustumCulled={false}>
      <meshStandardMaterial
        key={painted ? "compare" : "proof"}
        color={painted ? "#FFFFFF" : props.colour}
        vertexColors={painted}
        flatShading
        roughness={0.85}
        side={THREE.DoubleSide}
        clippingPlanes={planes}
      />
    </mesh>
  );
}

/** The block after all setups, as one solid: to be looked at from every side. */
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import { useBlockDetail } from "../api/results";
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

/** The colour of what a setup left (its index), or of the stock's own surface. */
export const makerColour = (maker: number): string =>
  maker === STOCK ? "#CFCAC0" : (scene.setups[maker % scene.setups.length] as string);

const STOCK = 255;

/** What the colours of the whole part say: how far it is off, or which setup left each surface. */
export type WholePaint = "deviation" | "setup";

/** (3 n,) colours of the points by how far each is off. */
function byDeviation(deviation: Float32Array, missed: Uint8Array, limit: number, most: number): Float32Array {
  const found = new Float32Array(3 * deviation.length),
    tone = new THREE.Color();
  deviation.forEach((d, k) => {
    if (missed[k] && d > limit) tone.set(scene.corner);
    else deviationColour(d, limit, most, tone);
    tone.toArray(found, 3 * k);
  });
  return found;
}

/** The triangles apart from one another, each in the colour of the setup that left it. */
function byMaker(vertices: Float32Array, faces: Int32Array, makers: Uint8Array): THREE.BufferGeometry {
  const places = new Float32Array(3 * faces.length),
    colours = new Float32Array(3 * faces.length),
    tone = new THREE.Color();
  for (let f = 0; f < faces.length; f += 3) {
    tone.set(makerColour(makers[f / 3] as number));
    for (let k = 0; k < 3; k++) {
      const corner = faces[f + k] as number;
      places.set(vertices.subarray(3 * corner, 3 * corner + 3), 3 * (f + k));
      tone.toArray(colours, 3 * (f + k));
    }
  }
  const made = new THREE.BufferGeometry();
  made.setAttribute("position", new THREE.BufferAttribute(places, 3));
  made.setAttribute("color", new THREE.BufferAttribute(colours, 3));
  return made;
}

export function WholePart(props: {
  part: string;
  matrix: THREE.Matrix4;
  colour: string;
  section: Section;
  compare: { limit: number; most: number; shown: WholePaint } | null;
}) {
  const { data: vertices } = useBlockDetail<Float32Array>(props.part, "vertices");
  const { data: faces } = useBlockDetail<Int32Array>(props.part, "faces");
  const compared = props.compare ? props.part : undefined;
  const { data: deviation } = useBlockDetail<Float32Array>(compared, "deviation");
  const { data: missed } = useBlockDetail<Uint8Array>(compared, "missed");
  const { data: makers } = useBlockDetail<Uint8Array>(compared, "left_by");
  const { limit = 0, most = 1, shown = "deviation" } = props.compare ?? {};
  const geometry = useMemo(() => {
    if (!vertices || !faces) return null;
    if (shown === "setup" && makers) return byMaker(vertices.data, faces.data, makers.data);
    const made = new THREE.BufferGeometry();
    made.setAttribute("position", new THREE.BufferAttribute(vertices.data, 3));
    made.setIndex(new THREE.BufferAttribute(Uint32Array.from(faces.data), 1));
    return made;
  }, [vertices, faces, makers, shown]);
  const colours = useMemo(
    () => (deviation && missed ? byDeviation(deviation.data, missed.data, limit, most) : null),
    [deviation, missed, limit, most],
  );
  useEffect(() => {
    if (!geometry?.index) return;
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

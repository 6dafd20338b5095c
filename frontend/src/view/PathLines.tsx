/** Toolpaths as lines: cutting coloured by depth like a sea chart, positioning as fine dots, entries apart. */
import { useThree } from "@react-three/fiber";
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import { firstAbove } from "../lib/frames";
import { planeOf, type Section } from "../lib/section";
import { scene } from "../theme";
import type { OperationData } from "./data";
import { usePaceContext } from "./pace";

const vertex = /* glsl */ `
  uniform float around; attribute float along; varying float depth; varying float length; varying vec3 place;
  void main() { depth = position.z; length = along; float angle = around > 0.0 ? position.y / around : 0.0;
    place = around > 0.0 ? vec3(position.x, position.z * sin(angle), position.z * cos(angle)) : position; gl_Position = projectionMatrix * modelViewMatrix * vec4(place, 1.0); gl_Position.z -= 0.00006 * gl_Position.w; }`;

const fragment = /* glsl */ `
  uniform vec3 shallow; uniform vec3 deep; uniform float high; uniform float low; uniform float dots; uniform vec4 plane;
  varying float depth; varying float length; varying vec3 place;
  void main() {
    if (dot(place, plane.xyz) > plane.w) discard;
    if (dots > 0.0 && mod(length, dots) > dots * 0.45) discard;
    gl_FragColor = vec4(mix(shallow, deep, clamp((high - depth) / max(high - low, 1e-3), 0.0, 1.0)), 1.0);
    #include <colorspace_fragment>
  }`;

interface Layer {
  geometry: THREE.BufferGeometry;
  moves: Int32Array;
  light: THREE.BufferGeometry;
  lightMoves: Int32Array;
}

/** Millimetres that one line of the coarser picture covers. */
const LONG = 4;

/**
 * Groups of moves that follow one another, each drawn as one line in the coarser picture: as pairs of first and last move.
 * A group ends where moves of other kinds come between, or where it is `long` (an arc's length, so that corners are cut a little only).
 */
export function groups(moves: ArrayLike<number>, along: ArrayLike<number>, long: number): Int32Array {
  const found: number[] = [];
  let first = 0;
  for (let n = 0; n < moves.length; n++) {
    const ends =
      n + 1 === moves.length ||
      (moves[n + 1] as number) !== (moves[n] as number) + 1 ||
      (along[2 * n + 1] as number) - (along[2 * first] as number) >= long;
    if (ends) {
      found.push(first, n);
      first = n + 1;
    }
  }
  return Int32Array.from(found);
}

/** So far (radians) a line goes round a bar at most before it is drawn as two. */
const BEND = 0.12;

/** A move as straight pieces, (x, y, z) from end to end of each: one, or where it goes round a bar of radius `around` several. */
export function piecesOf(ends: ArrayLike<number>, around: number): number[][] {
  const turned = around > 0 ? Math.abs((ends[4] as number) - (ends[1] as number)) / around : 0;
  const count = Math.max(Math.ceil(turned / BEND), 1);
  const at = (share: number) =>
    [0, 1, 2].map((i) => (ends[i] as number) * (1 - share) + (ends[i + 3] as number) * share);
  return Array.from({ length: count }, (_, n) => [...at(n / count), ...at((n + 1) / count)]);
}

/** The moves of some kinds as pairs of points, with the number of each move. */
function layer(data: OperationData, kinds: number[], around: number): Layer {
  const chosen: number[] = [],
    lines: ArrayLike<number>[] = [];
  for (let k = 0; k < data.kinds.length; k++)
    if (kinds.includes(data.kinds[k] as number) && !Number.isNaN(data.points[3 * k]))
      for (const piece of around > 0
        ? piecesOf(data.points.subarray(3 * k, 3 * k + 6), around)
        : [data.points.subarray(3 * k, 3 * k + 6)]) {
        chosen.push(k);
        lines.push(piece);
      }
  const position = new Float32Array(chosen.length * 6),
    along = new Float32Array(chosen.length * 2);
  let length = 0;
  lines.forEach((ends, n) => {
    position.set(ends, 6 * n);
    along[2 * n] = length;
    length += Math.hypot(
      (ends[3] as number) - (ends[0] as number),
      (ends[4] as number) - (ends[1] as number),
      (ends[5] as number) - (ends[2] as number),
    );
    along[2 * n + 1] = length;
  });
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(position, 3));
  geometry.setAttribute("along", new THREE.BufferAttribute(along, 1));
  const moves = Int32Array.from(chosen),
    joined = groups(moves, along, LONG);
  const light = new THREE.BufferGeometry();
  light.setAttribute("position", geometry.getAttribute("position"));
  light.setAttribute("along", geometry.getAttribute("along"));
  // The start of a group's first move and the end of its last one.
  light.setIndex(
    new THREE.BufferAttribute(
      Uint32Array.from(joined, (n, k) => 2 * n + (k % 2)),
      1,
    ),
  );
  return { geometry, moves, light, lightMoves: joined.filter((_, k) => k % 2 === 1).map((n) => moves[n] as number) };
}

function Lines(props: {
  layer: Layer;
  upTo: number;
  from: string;
  to: string;
  dots: number;
  high: number;
  low: number;
  around: number;
  section: Section;
}) {
  const { coarse } = usePaceContext();
  const geometry = coarse ? props.layer.light : props.layer.geometry,
    moves = coarse ? props.layer.lightMoves : props.layer.moves;
  const material = useMemo(
    () =>
      new THREE.ShaderMaterial({
        vertexShader: vertex,
        fragmentShader: fragment,
        uniforms: {
          shallow: { value: new THREE.Color(props.from) },
          deep: { value: new THREE.Color(props.to) },
          high: { value: 0 },
          low: { value: 0 },
          dots: { value: props.dots },
          around: { value: 0 },
          plane: { value: new THREE.Vector4(0, 0, 0, 1) },
        },
      }),
    [props.from, props.to, props.dots],
  );
  const u = material.uniforms as Record<"high" | "low" | "around", { value: number }> & {
    plane: { value: THREE.Vector4 };
  };
  u.high.value = props.high;
  u.low.value = props.low;
  u.around.value = props.around;
  u.plane.value.set(...planeOf(props.section));
  const invalidate = useThree((state) => state.invalidate);
  // Uniforms and the draw range are set past React, so nothing else asks for a new picture.
  useEffect(() => invalidate());
  geometry.setDrawRange(0, 2 * firstAbove(moves, props.upTo));
  return <lineSegments geometry={geometry} material={material} frustumCulled={false} />;
}

export function PathLines(props: {
  data: OperationData;
  upTo: number;
  high: number;
  low: number;
  section: Section;
  /** Of a bar that is shown round: the reference radius of its unrolled surface; 0 for all else. */
  around: number;
}) {
  const { data, around } = props;
  const layers = useMemo(
    () => ({
      cut: layer(data, [1, 3], around),
      rapid: layer(data, [0], around),
      entry: layer(data, [2], around),
    }),
    [data, around],
  );
  useEffect(
    () => () => {
      Object.values(layers).forEach((item) => {
        item.geometry.dispose();
        item.light.dispose();
      });
    },
    [layers],
  );
  const shared = { upTo: props.upTo, high: props.high, low: props.low, section: props.section, around };
  return (
    <>
      <Lines layer={layers.cut} from={scene.shallow} to={scene.deep} dots={0} {...shared} />
      <Lines layer={layers.entry} from={scene.entry} to={scene.entry} dots={0} {...shared} />
      <Lines layer={layers.rapid} from={scene.rapid} to={scene.rapid} dots={2.4} {...shared} />
    </>
  );
}

/** Measuring in the view: two points on model or block, and what lies between them. */
import { useEffect, useMemo } from "react";
import * as THREE from "three";
import { lengthText, type Unit } from "../lib/numbers";
import { between, type Point } from "../lib/ray";
import { useTheme } from "styled-components";

/** The points after one more click: the third starts again. */
export const nextPoints = (points: Point[], point: Point): Point[] =>
  points.length >= 2 ? [point] : [...points, point];

export function MeasureMarks(props: { points: Point[]; size: number }) {
  const theme = useTheme();
  const line = useMemo(
    () => new THREE.BufferGeometry().setFromPoints(props.points.map((p) => new THREE.Vector3(...p))),
    [props.points],
  );
  useEffect(() => () => line.dispose(), [line]);
  return (
    <group renderOrder={9}>
      {props.points.map((point, k) => (
        <mesh key={k} position={point} renderOrder={9}>
          <sphereGeometry args={[props.size, 16, 10]} />
          <meshBasicMaterial color={theme.stop} depthTest={false} />
        </mesh>
      ))}
      {props.points.length === 2 && (
        <lineSegments geometry={line} renderOrder={9}>
          <lineBasicMaterial color={theme.stop} depthTest={false} />
        </lineSegments>
      )}
    </group>
  );
}

/** What the measuring tool says. Places are from the work zero. */
export function measured(points: Point[], unit: Unit): string[] {
  const place = (p: Point) =>
    `X ${lengthText(p[0], unit, "measured")}  Y ${lengthText(p[1], unit, "measured")}  Z ${lengthText(p[2], unit, "measured")}`;
  const [a, b] = points;
  if (!a) return ["click a first point"];
  if (!b) return [place(a), "click a second point"];
  const way = between(a, b);
  return [
    place(a),
    place(b),
    `${lengthText(way.length, unit, "measured")} ${unit} apart`,
    `ΔX ${lengthText(way.by[0], unit, "measured")}  ΔY ${lengthText(way.by[1], unit, "measured")}  ΔZ ${lengthText(way.by[2], unit, "measured")}`,
  ];
}

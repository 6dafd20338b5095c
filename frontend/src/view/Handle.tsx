/** A grip in the view that is dragged: along a line, or over a plane. */
import { useThree, type ThreeEvent } from "@react-three/fiber";
import { useEffect, useRef, useState, type ReactNode } from "react";
import type { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { alongLine, onLevel, onPlane } from "../lib/drag";
import type { Point, Ray } from "../lib/ray";
import { casterAt } from "./Picker";

type Track =
  | { kind: "line"; origin: Point; direction: Point }
  | { kind: "level"; z: number }
  | { kind: "plane"; origin: Point; normal: Point };

function trackAt(track: Track, ray: Ray): Point | null {
  if (track.kind === "level") return onLevel(ray, track.z);
  if (track.kind === "plane") return onPlane(ray, track.origin, track.normal);
  const t = alongLine(ray, track.origin, track.direction);
  return t === null
    ? null
    : ([0, 1, 2].map((k) => (track.origin[k] as number) + t * (track.direction[k] as number)) as Point);
}

/**
 * Children are what is gripped. `onDrag` is told how far it was taken from where it was gripped, `done` at the end, and where that
 * was (`from`) and whether Shift is held (`fine`). Escape lets go of it (`onCancel`).
 */
export function Handle(props: {
  track: Track;
  onDrag: (by: Point, done: boolean, grip: { from: Point; fine: boolean }) => void;
  onCancel: () => void;
  children: (hot: boolean) => ReactNode;
}) {
  const { camera, gl, invalidate, controls } = useThree();
  const [hot, setHot] = useState(false);
  const latest = useRef(props);
  useEffect(() => {
    latest.current = props;
  });
  const stop = useRef<(() => void) | null>(null);
  useEffect(() => () => stop.current?.(), []);

  const grip = (event: ThreeEvent<PointerEvent>) => {
    event.stopPropagation();
    const track = props.track;
    const start = trackAt(track, {
      origin: event.ray.origin.toArray() as Point,
      direction: event.ray.direction.toArray() as Point,
    });
    if (!start) return;
    const orbit = controls as OrbitControls | null;
    if (orbit) orbit.enabled = false;
    let last: Point = [0, 0, 0],
      fine = false;
    const move = (moved: PointerEvent) => {
      const caster = casterAt(moved, gl.domElement, camera);
      const now = trackAt(track, {
        origin: caster.ray.origin.toArray() as Point,
        direction: caster.ray.direction.toArray() as Point,
      });
      if (!now) return;
      last = [0, 1, 2].map((k) => (now[k] as number) - (start[k] as number)) as Point;
      fine = moved.shiftKey;
      latest.current.onDrag(last, false, { from: start, fine });
      invalidate();
    };
    const end = () => {
      stop.current?.();
      latest.current.onDrag(last, true, { from: start, fine });
    };
    const key = (pressed: KeyboardEvent) => {
      if (pressed.key === "Escape") {
        stop.current?.();
        latest.current.onCancel();
      }
    };
    window.addEventListener("pointermove", move);
    window.addEventListener("pointerup", end);
    window.addEventListener("keydown", key);
    stop.current = () => {
      window.removeEventListener("pointermove", move);
      window.removeEventListener("pointerup", end);
      window.removeEventListener("keydown", key);
      if (orbit) orbit.enabled = true;
      stop.current = null;
    };
  };
  return (
    <group
      onPointerDown={grip}
      onPointerOver={() => {
        setHot(true);
        gl.domElement.style.cursor = "grab";
        invalidate();
      }}
      onPointerOut={() => {
        setHot(false);
        gl.domElement.style.cursor = "";
        invalidate();
      }}
    >
      {props.children(hot || stop.current !== null)}
    </group>
  );
}

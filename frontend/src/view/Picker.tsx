/** Turns a click in the view into a point on the model or the block. A drag is no click. */
import { useThree } from "@react-three/fiber";
import { useEffect } from "react";
import * as THREE from "three";
import type { Point, Ray } from "../lib/ray";

/** What was met: the point in setup space; for a model its id and the direction of its face there. */
export interface Picked {
  point: Point;
  model?: string;
  normal?: Point;
}

const SLACK = 4;

/** Objects that carry `userData.model` are models that can be picked. */
function onModels(caster: THREE.Raycaster, world: THREE.Scene): Picked | null {
  const targets: THREE.Object3D[] = [];
  world.traverse((item) => {
    if (item.userData.model !== undefined) targets.push(item);
  });
  const hit = caster.intersectObjects(targets, false)[0];
  if (!hit?.face) return null;
  const normal = hit.face.normal.clone().transformDirection(hit.object.matrixWorld);
  return {
    point: hit.point.toArray() as Point,
    model: String(hit.object.userData.model),
    normal: normal.toArray() as Point,
  };
}

/** Where the eye looks through a place of the canvas. */
export function casterAt(event: PointerEvent, canvas: HTMLCanvasElement, camera: THREE.Camera): THREE.Raycaster {
  const box = canvas.getBoundingClientRect();
  const caster = new THREE.Raycaster();
  caster.setFromCamera(
    new THREE.Vector2(
      (2 * (event.clientX - box.left)) / box.width - 1,
      1 - (2 * (event.clientY - box.top)) / box.height,
    ),
    camera,
  );
  return caster;
}

export function Picker(props: {
  active: boolean;
  block: ((ray: Ray) => Point | null) | null;
  onPick: (picked: Picked | null) => void;
}) {
  const { gl, camera, scene: world } = useThree();
  const { active, block, onPick } = props;
  useEffect(() => {
    if (!active) return undefined;
    const canvas = gl.domElement;
    let start: [number, number] | null = null;
    const down = (event: PointerEvent) => {
      start = event.button === 0 ? [event.clientX, event.clientY] : null;
    };
    const up = (event: PointerEvent) => {
      if (!start || Math.hypot(event.clientX - start[0], event.clientY - start[1]) > SLACK) return;
      const caster = casterAt(event, canvas, camera);
      const ray: Ray = {
        origin: caster.ray.origin.toArray() as Point,
        direction: caster.ray.direction.toArray() as Point,
      };
      const point = block?.(ray);
      onPick(block ? (point ? { point } : null) : onModels(caster, world));
    };
    canvas.addEventListener("pointerdown", down);
    canvas.addEventListener("pointerup", up);
    canvas.style.cursor = "crosshair";
    return () => {
      canvas.removeEventListener("pointerdown", down);
      canvas.removeEventListener("pointerup", up);
      canvas.style.cursor = "";
    };
  }, [active, block, onPick, gl, camera, world]);
  return null;
}

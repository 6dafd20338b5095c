/** The camera: turned with the mouse, set to standard directions, drawing only when something changed. */
import { useThree } from "@react-three/fiber";
import { useEffect, useRef } from "react";
import * as THREE from "three";
import { OrbitControls } from "three/addons/controls/OrbitControls.js";
import { HalfPicture } from "./halfPicture";
import { usePaceContext } from "./pace";

export type Direction = "top" | "front" | "right" | "corner";

const FROM: Record<Direction, [number, number, number]> = {
  top: [0, -0.0001, 1],
  front: [0, -1, 0.0001],
  right: [1, 0, 0.0001],
  corner: [0.42, -1, 0.86],
};

/** Tells when the picture asked for last is really drawn, which goes on after the call that asks for it. */
function whenDrawn(context: WebGL2RenderingContext, tell: () => void) {
  const fence = context.fenceSync(context.SYNC_GPU_COMMANDS_COMPLETE, 0);
  if (!fence) return;
  context.flush();
  const look = () => {
    if (context.isContextLost()) return;
    if (context.clientWaitSync(fence, 0, 0) === context.TIMEOUT_EXPIRED) {
      setTimeout(look, 8);
      return;
    }
    context.deleteSync(fence);
    tell();
  };
  setTimeout(look, 0);
}

/** A place to fly to; `turn` rises each time. */
export interface Focus {
  at: [number, number, number];
  turn: number;
}

const NEAR = 55;

export function Camera(props: {
  low: number[];
  high: number[];
  direction: Direction;
  turn: number;
  focus: Focus | null;
  raised: number;
}) {
  const { camera, gl, invalidate, size, set } = useThree();
  const controls = useRef<OrbitControls | null>(null);
  const { poke, drew, coarse } = usePaceContext();
  // Half the picture's points each way while it moves, all of them as soon as it rests.
  const moving = useRef(coarse);
  useEffect(() => {
    moving.current = coarse;
    invalidate();
  }, [coarse, invalidate]);
  useEffect(() => {
    const plain = gl.render.bind(gl),
      half = new HalfPicture();
    gl.render = (seen, eye) => {
      const begin = performance.now();
      if (moving.current && gl.getRenderTarget() === null) half.draw(gl, plain, seen, eye);
      else plain(seen, eye);
      whenDrawn(gl.getContext() as WebGL2RenderingContext, () => drew(performance.now() - begin));
    };
    return () => {
      gl.render = plain;
      half.dispose();
    };
  }, [gl, drew]);
  useEffect(() => {
    const made = new OrbitControls(camera, gl.domElement);
    made.addEventListener("change", () => {
      poke();
      invalidate();
    });
    made.zoomToCursor = true;
    made.listenToKeyEvents(gl.domElement);
    controls.current = made;
    set({ controls: made });
    return () => made.dispose();
  }, [camera, gl, invalidate, poke, set]);
  useEffect(() => {
    const low = new THREE.Vector3(...(props.low as [number, number, number])),
      high = new THREE.Vector3(...(props.high as [number, number, number]));
    const middle = low.clone().add(high).multiplyScalar(0.5);
    const way = new THREE.Vector3(...FROM[props.direction]).normalize();
    const lens = camera as THREE.PerspectiveCamera;
    const aspect = size.width / Math.max(size.height, 1);
    lens.up.set(0, 0, 1);
    lens.position.copy(middle).add(way);
    lens.lookAt(middle);
    lens.updateMatrixWorld();
    // The distance at which all eight corners lie inside the picture.
    const back = new THREE.Matrix4().makeRotationFromQuaternion(lens.quaternion).invert();
    const half = Math.tan(THREE.MathUtils.degToRad(lens.fov / 2));
    let away = 0;
    for (let k = 0; k < 8; k++) {
      const corner = new THREE.Vector3(k & 1 ? high.x : low.x, k & 2 ? high.y : low.y, k & 4 ? high.z : low.z)
        .sub(middle)
        .applyMatrix4(back);
      away = Math.max(away, corner.z + Math.abs(corner.x) / (half * aspect), corner.z + Math.abs(corner.y) / half);
    }
    lens.position.copy(middle).addScaledVector(way, away * 1.07);
    lens.near = away / 100;
    lens.far = away * 12;
    lens.updateProjectionMatrix();
    controls.current?.target.copy(middle);
    controls.current?.update();
    invalidate();
    // A new size of the window must not turn the view back.
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [props.direction, props.turn, props.low.join(), props.high.join()]);
  // Where a panel lies over the foot of the view, the picture is moved up by half of it.
  useEffect(() => {
    const lens = camera as THREE.PerspectiveCamera;
    if (props.raised) lens.setViewOffset(size.width, size.height, 0, props.raised, size.width, size.height);
    else lens.clearViewOffset();
    invalidate();
  }, [props.raised, camera, size.width, size.height, invalidate]);
  const { focus } = props;
  useEffect(() => {
    const orbit = controls.current;
    if (!focus || !orbit) return;
    const target = new THREE.Vector3(...focus.at);
    // From the side it is looked at from anyway, but never from under the block.
    const way = camera.position.clone().sub(orbit.target);
    way.z = Math.max(way.z, 0.6 * way.length());
    orbit.target.copy(target);
    camera.position.copy(target).addScaledVector(way.normalize(), NEAR);
    orbit.update();
    invalidate();
  }, [focus, camera, invalidate]);
  return null;
}

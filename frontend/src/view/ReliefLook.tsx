/** What is looked at in a relief: what a cutter leaves of it, as a picture on its surface, and the line of a section. */
import { useEffect, useMemo } from "react";
import { useTheme } from "styled-components";
import * as THREE from "three";
import { reachPicture, type Reach, type RGB, type SectionMark } from "../lib/relief";
import { scene } from "../theme";

const bytes = (colour: string): RGB => {
  const found = new THREE.Color(colour).convertLinearToSRGB();
  return [found.r, found.g, found.b].map((value) => Math.round(255 * value)) as RGB;
};

/** The picture of what a cutter leaves, for the surface of the relief. */
export function useReachPicture(reach: Reach | null): THREE.DataTexture | null {
  const picture = useMemo(() => {
    if (!reach) return null;
    const { nx, ny } = reach.head;
    const made = new THREE.DataTexture(reachPicture(reach, bytes(scene.model), bytes(scene.leftover)), nx, ny);
    made.colorSpace = THREE.SRGBColorSpace;
    made.needsUpdate = true;
    return made;
  }, [reach]);
  useEffect(() => () => picture?.dispose(), [picture]);
  return picture;
}

/** A section on the surface of the relief, and the place on it that is looked at. */
export function SectionLine(props: { mark: SectionMark; size: number }) {
  const theme = useTheme();
  const { points, at } = props.mark;
  const geometry = useMemo(
    () =>
      new THREE.BufferGeometry().setFromPoints(
        points.slice(1).flatMap((end, k) => [points[k] ?? end, end].map((point) => new THREE.Vector3(...point))),
      ),
    [points],
  );
  useEffect(() => () => geometry.dispose(), [geometry]);
  return (
    <>
      <lineSegments geometry={geometry} renderOrder={7}>
        <lineBasicMaterial color={theme.action} depthTest={false} />
      </lineSegments>
      <mesh position={at} renderOrder={8}>
        <sphereGeometry args={[props.size, 16, 12]} />
        <meshBasicMaterial color={theme.action} depthTest={false} />
      </mesh>
    </>
  );
}

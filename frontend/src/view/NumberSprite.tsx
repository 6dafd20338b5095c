/** A number at a place of the view, always facing the eye and in front of everything. */
import { useEffect, useMemo } from "react";
import * as THREE from "three";

const SIZE = 64;

function drawn(text: string, ink: string): THREE.CanvasTexture {
  const canvas = document.createElement("canvas");
  canvas.width = canvas.height = SIZE;
  const pen = canvas.getContext("2d");
  if (pen) {
    pen.font = `600 ${SIZE * 0.62}px "Spline Sans Mono", monospace`;
    pen.textAlign = "center";
    pen.textBaseline = "middle";
    pen.fillStyle = ink;
    pen.fillText(text, SIZE / 2, SIZE / 2);
  }
  return new THREE.CanvasTexture(canvas);
}

export function NumberSprite(props: { at: [number, number, number]; text: string; size: number; ink: string }) {
  const texture = useMemo(() => drawn(props.text, props.ink), [props.text, props.ink]);
  useEffect(() => () => texture.dispose(), [texture]);
  return (
    <sprite position={props.at} scale={[props.size, props.size, 1]} renderOrder={8} raycast={() => undefined}>
      <spriteMaterial map={texture} depthTest={false} transparent />
    </sprite>
  );
}

/** Takes a picture of the view at twice its size, without edges and marks, and offers it as a PNG. */
import { useThree } from "@react-three/fiber";
import { useEffect, type RefObject } from "react";

export type Shoot = (name: string) => void;

/** Objects that carry `userData.aside` are left out of pictures. */
export function Shutter(props: { shoot: RefObject<Shoot | null> }) {
  const { gl, scene, camera, invalidate } = useThree();
  const { shoot } = props;
  useEffect(() => {
    shoot.current = (name) => {
      const ratio = gl.getPixelRatio();
      const hidden: { visible: boolean }[] = [];
      scene.traverse((item) => {
        if (item.userData.aside && item.visible) {
          item.visible = false;
          hidden.push(item);
        }
      });
      gl.setPixelRatio(2);
      gl.render(scene, camera);
      gl.domElement.toBlob((blob) => {
        if (!blob) return;
        const link = document.createElement("a");
        link.href = URL.createObjectURL(blob);
        link.download = name;
        link.click();
        setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
      }, "image/png");
      for (const item of hidden) item.visible = true;
      gl.setPixelRatio(ratio);
      invalidate();
    };
    return () => {
      shoot.current = null;
    };
  }, [gl, scene, camera, invalidate, shoot]);
  return null;
}

/** Drawing a boundary in the view: each click adds a point, a click on the first one closes the curve. */
import { useCallback, useEffect, useMemo, useState } from "react";
import { useTheme } from "styled-components";
import * as THREE from "three";
import type { Boundary } from "../api/types";
import { rounded } from "../lib/drag";
import { afterClick, afterKey, type Draft } from "../lib/drawing";
import type { Spot } from "../lib/rims";
import { useSheetState, withBoundary } from "../workspace/state";
import { onStock } from "./OutlineHandles";

/** The points that are drawn so far, and what a click does. `matrix` goes from the curve's space to the setup's. */
export function useDrawing(boundary: Boundary | undefined, matrix: THREE.Matrix4, near: number) {
  const { plan, keep, tool, setTool } = useSheetState();
  const [points, setPoints] = useState<Spot[]>([]);
  const active = tool === "draw" && boundary?.source === "drawn";
  const take = useCallback(
    (draft: Draft) => {
      if (!draft.closed || !boundary) return setPoints(draft.points);
      setPoints([]);
      setTool("none");
      const curves = [...(boundary.curves ?? []), { points: draft.points, smooth: false }];
      keep(withBoundary(plan, boundary.id, { curves }), "draw a curve");
    },
    [boundary, plan, keep, setTool],
  );
  useEffect(() => {
    if (!active) return setPoints((old) => (old.length ? [] : old));
    const onKey = (event: KeyboardEvent) => {
      if (event.target instanceof HTMLInputElement) return;
      if (event.key === "Escape") return setTool("none");
      const draft = afterKey(points, event.key);
      if (!draft) return;
      // The button that began the drawing may still have the focus.
      event.preventDefault();
      event.stopPropagation();
      take(draft);
    };
    window.addEventListener("keydown", onKey, true);
    return () => window.removeEventListener("keydown", onKey, true);
  }, [active, points, take, setTool]);
  const add = useCallback(
    (at: [number, number, number]) => {
      const spot = onStock(at, matrix).map((value) => rounded(value, plan.units ?? "mm")) as Spot;
      take(afterClick(points, spot, near));
    },
    [points, take, matrix, near, plan.units],
  );
  return { points: active ? points : [], add };
}

/** The curve as far as it is drawn, in the curve's own space at the height `top`. */
export function DrawnSoFar(props: { points: Spot[]; top: number; size: number }) {
  const theme = useTheme();
  const { points, top, size } = props;
  const geometry = useMemo(
    () =>
      new THREE.BufferGeometry().setFromPoints(
        points.slice(1).flatMap((end, k) => [points[k] as Spot, end].map(([x, y]) => new THREE.Vector3(x, y, top))),
      ),
    [points, top],
  );
  useEffect(() => () => geometry.dispose(), [geometry]);
  return (
    <>
      <lineSegments geometry={geometry} renderOrder={8}>
        <lineBasicMaterial color={theme.action} depthTest={false} />
      </lineSegments>
      {points.map(([x, y], k) => (
        <mesh key={k} position={[x, y, top]} renderOrder={8}>
          <sphereGeometry args={[k === 0 ? size : size * 0.6, 16, 12]} />
          <meshBasicMaterial color={theme.action} depthTest={false} />
        </mesh>
      ))}
    </>
  );
}

/** What is shown and dragged of a part of several faces: the parting with its overruns, and the tabs. In stock space. */
import { useMemo, useRef } from "react";
import { useTheme } from "styled-components";
import * as THREE from "three";
import type { FaceTab, Faces, PlanEdit } from "../api/types";
import { rounded } from "../lib/drag";
import { outwardAt, type Rim, type Spot } from "../lib/rims";
import type { Point } from "../lib/ray";
import { scene } from "../theme";
import { setupOf, useSheetState } from "../workspace/state";
import { useRims } from "../workspace/inspector/TabList";
import { Handle } from "./Handle";
import { LevelLine } from "./LevelLine";
import { NumberSprite } from "./NumberSprite";
import { RegistrationOutline } from "./RegistrationOutline";
import { overrunOf, sideOf } from "../setups/kinds";

/** How far tabs reach into the frame, as they are cut (mm). */
const BEYOND = 2;

/** A line round the stock at a height. */
function Ring(props: { z: number; tone: string; dashed?: boolean }) {
  const { plan } = useSheetState();
  const { length, width } = plan.stock;
  const corners = useMemo<Spot[]>(
    () => [
      [0, 0],
      [length, 0],
      [length, width],
      [0, width],
      [0, 0],
    ],
    [length, width],
  );
  return <LevelLine spots={corners} {...props} />;
}

/** The outlines of the part in stock space, as a setup sees them that lies on its top or its underside. */
function useOutlines(matrix: THREE.Matrix4): Rim[] {
  const { plan, setupId } = useSheetState();
  const rims = useRims("silhouette");
  const side = sideOf(setupOf(plan, setupId));
  return useMemo(() => {
    if (!rims || (side !== "top" && side !== "bottom")) return [];
    const back = matrix.clone().invert();
    return rims.map((rim) =>
      rim.map(([x, y]): Spot => {
        const at = new THREE.Vector3(x, y, 0).applyMatrix4(back);
        return [at.x, at.y];
      }),
    );
  }, [rims, side, matrix]);
}

/** The parting as a line round the stock, with a grip; dashed round the part where each side stops cutting. */
export function PartingHandle(props: { matrix: THREE.Matrix4; size: number }) {
  const { plan, edit, liveEdit } = useSheetState();
  const theme = useTheme();
  const outlines = useOutlines(props.matrix);
  const held = useRef<number | null>(null);
  const faces = plan.faces as Faces | null | undefined;
  if (!faces) return null;
  const z = faces.parting;
  const at: Point = [plan.stock.length, 0, z];
  const over = (side: string) => Math.max(0, ...plan.setups.filter((setup) => sideOf(setup) === side).map(overrunOf));
  const stops = [Math.max(z - over("top"), 0), Math.min(z + over("bottom"), plan.stock.thickness)];
  return (
    <>
      <Ring z={z} tone={theme.action} />
      <RegistrationOutline outlines={outlines} />
      {stops.map((height) =>
        outlines.length > 0 ? (
          outlines.map((rim, k) => (
            <LevelLine key={`${height} ${k}`} spots={rim} z={height} tone={scene.entry} dashed />
          ))
        ) : (
          <Ring key={height} z={height} tone={scene.entry} dashed />
        ),
      )}
      <Handle
        track={{ kind: "line", origin: at, direction: [0, 0, 1] }}
        onCancel={() => {
          held.current = null;
          liveEdit(null);
        }}
        onDrag={(by, done) => {
          held.current ??= z;
          const parting = rounded(held.current + by[2], plan.units ?? "mm");
          const change: PlanEdit = { do: "change_faces", change: { parting } };
          if (done) held.current = null;
          if (done) edit(change, "parting height");
          else liveEdit(change);
        }}
      >
        {(hot) => (
          <group position={at}>
            {[0.55, -0.55].map((shift) => (
              <mesh
                key={shift}
                position={[0, 0, shift * props.size]}
                rotation={[shift > 0 ? Math.PI / 2 : -Math.PI / 2, 0, 0]}
                renderOrder={7}
              >
                <coneGeometry args={[0.32 * props.size, 0.7 * props.size, 16]} />
                <meshBasicMaterial color={hot ? theme.ink : theme.action} depthTest={false} />
              </mesh>
            ))}
          </group>
        )}
      </Handle>
    </>
  );
}

/** The tabs between part and frame, dragged along the outline. */
export function FaceTabs(props: { matrix: THREE.Matrix4; size: number }) {
  const { plan, edit, liveEdit, setupId } = useSheetState();
  const theme = useTheme();
  const rims = useRims("silhouette");
  const start = useRef<Point | null>(null);
  const faces = plan.faces as Faces | null | undefined;
  if (!faces) return null;
  const border = faces.border ?? 10;
  const seen = sideOf(setupOf(plan, setupId));
  const flat = seen === "top" || seen === "bottom";
  const back = props.matrix.clone().invert();
  /** The nearest place of the outline, and the direction out of it, in stock space. */
  const onOutline = (x: number, y: number): { at: Spot; angle: number } | null => {
    if (!rims || !flat) return null;
    const here = new THREE.Vector3(x, y, 0).applyMatrix4(props.matrix);
    const found = outwardAt(rims, [here.x, here.y]);
    if (!found) return null;
    const at = new THREE.Vector3(found.at[0], found.at[1], here.z).applyMatrix4(back);
    const out = new THREE.Vector3(found.out[0], found.out[1], 0).transformDirection(back);
    return { at: [at.x, at.y], angle: (Math.atan2(out.y, out.x) * 180) / Math.PI };
  };
  return ((faces.tabs ?? []) as FaceTab[]).map((tab, k) => {
    const [x, y, z] = tab.at as Point;
    const length = border + BEYOND + (tab.inward ?? 2),
      middle = (border + BEYOND - (tab.inward ?? 2)) / 2;
    const thick = tab.thickness ?? 4;
    return (
      <Handle
        key={tab.id}
        track={{ kind: "plane", origin: [x, y, z], normal: [0, 0, 1] }}
        onCancel={() => {
          start.current = null;
          liveEdit(null);
        }}
        onDrag={(by, done) => {
          start.current ??= [x, y, z];
          const px = start.current[0] + by[0],
            py = start.current[1] + by[1];
          const found = onOutline(px, py);
          const at = found?.at ?? [px, py];
          const change: PlanEdit = {
            do: "change_face_tab",
            tab: tab.id,
            change: {
              at: [Number(at[0].toFixed(2)), Number(at[1].toFixed(2)), z],
              ...(found ? { angle: Number(found.angle.toFixed(2)) } : {}),
            },
          };
          if (done) start.current = null;
          if (done) edit(change, "move a tab");
          else liveEdit(change);
        }}
      >
        {(hot) => (
          <>
            <group position={[x, y, z]} rotation={[0, 0, ((tab.angle ?? 0) * Math.PI) / 180]}>
              <mesh
                position={[middle, 0, 0]}
                rotation={tab.shape === "round" ? [0, 0, Math.PI / 2] : [0, 0, 0]}
                renderOrder={6}
              >
                {tab.shape === "round" ? (
                  <cylinderGeometry args={[thick / 2, thick / 2, length, 24]} />
                ) : (
                  <boxGeometry args={[length, tab.width ?? 8, thick]} />
                )}
                <meshBasicMaterial
                  color={hot ? theme.ink : theme.caution}
                  depthTest={false}
                  transparent
                  opacity={0.8}
                />
              </mesh>
            </group>
            <NumberSprite at={[x, y, z]} text={String(k + 1)} size={props.size} ink={theme.onAction} />
          </>
        )}
      </Handle>
    );
  });
}

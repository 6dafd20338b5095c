/** What is dragged on outlines in the view: the tabs of a cut-out, the points of drawn curves; loops are picked off. */
import { useRef } from "react";
import { useTheme } from "styled-components";
import * as THREE from "three";
import type { Boundary, Operation, OperationInfo, TabPlaces } from "../api/types";
import { nearestPlace, type Spot } from "../lib/rims";
import { tabsOf, useRims } from "../workspace/inspector/TabList";
import { useSheetState, withBoundary, withOperation } from "../workspace/state";
import { rounded } from "../lib/drag";
import { Handle } from "./Handle";
import { NumberSprite } from "./NumberSprite";

/** Tabs of the chosen cut-out, in setup space, standing on the underside of the stock at `foot`. */
export function TabHandles(props: { operation: Operation; info: OperationInfo; foot: number }) {
  const { plan, live, keep } = useSheetState();
  const theme = useTheme();
  const rims = useRims(props.operation.boundary?.boundary);
  const held = useRef<TabPlaces | null>(null);
  const { operation, info, foot } = props;
  const length = Number(operation.settings.tab_length ?? 8),
    height = Number(operation.settings.tab_height ?? 3);
  const changed = (tab_places: TabPlaces) =>
    withOperation(plan, operation.number, { settings: { ...operation.settings, tab_places } });
  return info.tabs.map((tab, k) => (
    <Handle
      key={k}
      track={{ kind: "level", z: foot + height }}
      onCancel={() => {
        held.current = null;
        live(null);
      }}
      onDrag={(by, done, { from }) => {
        held.current ??= tabsOf(info);
        const place = rims && nearestPlace(rims, [from[0] + by[0], from[1] + by[1]] as Spot);
        const next = place ? held.current.map((old, n) => (n === k ? place : old)) : held.current;
        if (done) held.current = null;
        (done ? (value: TabPlaces) => keep(changed(value), "move a tab") : (value: TabPlaces) => live(changed(value)))(
          next,
        );
      }}
    >
      {(hot) => (
        <>
          <mesh position={[tab.at[0], tab.at[1], foot + height / 2]} renderOrder={7}>
            <cylinderGeometry args={[length / 2, length / 2, height, 20]} />
            <meshBasicMaterial color={hot ? theme.ink : theme.caution} depthTest={false} transparent opacity={0.85} />
          </mesh>
          <NumberSprite
            at={[tab.at[0], tab.at[1], foot + height]}
            text={String(k + 1)}
            size={1.3 * length}
            ink={theme.onAction}
          />
        </>
      )}
    </Handle>
  ));
}

/** The points of a drawn boundary, in stock space at the height `top`. */
export function CurveHandles(props: { boundary: Boundary; top: number; size: number }) {
  const { plan, live, keep } = useSheetState();
  const theme = useTheme();
  const start = useRef<Spot | null>(null);
  const { boundary, top } = props;
  const curves = boundary.curves ?? [];
  // A traced outline of hundreds of points is moved as a whole, not point by point.
  if (curves.reduce((sum, curve) => sum + curve.points.length, 0) > 200) return null;
  return curves.flatMap((curve, c) =>
    curve.points.map((point, p) => (
      <Handle
        key={`${c} ${p}`}
        track={{ kind: "level", z: top }}
        onCancel={() => {
          start.current = null;
          live(null);
        }}
        onDrag={(by, done) => {
          start.current ??= point as Spot;
          const at = start.current.map((value, k) => rounded(value + (by[k] as number), plan.units ?? "mm")) as Spot;
          const next = withBoundary(plan, boundary.id, {
            curves: curves.map((old, n) =>
              n === c ? { ...old, points: old.points.map((was, q) => (q === p ? at : was)) } : old,
            ),
          });
          if (done) start.current = null;
          if (done) keep(next, "move a point");
          else live(next);
        }}
      >
        {(hot) => (
          <mesh position={[point[0] as number, point[1] as number, top]} renderOrder={8}>
            <boxGeometry args={[props.size, props.size, props.size]} />
            <meshBasicMaterial color={hot ? theme.ink : theme.action} depthTest={false} />
          </mesh>
        )}
      </Handle>
    )),
  );
}

/** Where a click on the plan is, from the low corner of the stock. */
export function onStock(at: [number, number, number], matrix: THREE.Matrix4): Spot {
  const found = new THREE.Vector3(...at).applyMatrix4(matrix.clone().invert());
  return [Number(found.x.toFixed(3)), Number(found.y.toFixed(3))];
}

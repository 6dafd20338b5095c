/** The seams of a setup that is cut in tiles, dragged along the board, and the window of the tile that is shown. */
import { useMemo, useRef } from "react";
import { useTheme } from "styled-components";
import * as THREE from "three";
import type { SetupInfo, PlanEdit } from "../api/types";
import { rounded } from "../lib/drag";
import type { Point } from "../lib/ray";
import { scene } from "../theme";
import { setupOf, useSheetState } from "../workspace/state";
import { Handle } from "./Handle";
import { tilesOf } from "../setups/kinds";

/** A line that lies on top of everything. */
function Drawn(props: { points: Point[]; tone: string; dashed?: boolean }) {
  const { points, tone, dashed } = props;
  const line = useMemo(() => {
    const geometry = new THREE.BufferGeometry().setFromPoints(points.map((point) => new THREE.Vector3(...point)));
    const made = new THREE.Line(
      geometry,
      dashed
        ? new THREE.LineDashedMaterial({ color: tone, dashSize: 6, gapSize: 5, depthTest: false })
        : new THREE.LineBasicMaterial({ color: tone, depthTest: false }),
    );
    made.computeLineDistances();
    made.renderOrder = 6;
    return made;
  }, [points, tone, dashed]);
  return <primitive object={line} />;
}

/** How far in front of the board the cost of seams is drawn, and how high it rises, as shares of its longer side. */
const OFF = 0.02,
  RISE = 0.06;

function CostLine(props: { id: string; axis: "x" | "y"; length: number; top: number }) {
  const { derived } = useSheetState();
  const theme = useTheme();
  const costs = derived.seam_costs[props.id];
  const points = useMemo(() => {
    if (!costs) return [];
    const most = Math.max(...costs.cost, 0.1);
    return costs.at.map((at, k): Point => {
      const away = -props.length * (OFF + (RISE * (costs.cost[k] ?? 0)) / most);
      return props.axis === "x" ? [at, away, props.top] : [away, at, props.top];
    });
  }, [costs, props.axis, props.length, props.top]);
  return points.length > 1 ? <Drawn points={points} tone={theme.muted} /> : null;
}

function Seam(props: { setup: string; seam: number; axis: "x" | "y"; at: number; size: number[]; grip: number }) {
  const { plan, edit, liveEdit } = useSheetState();
  const theme = useTheme();
  const held = useRef<number | null>(null);
  const [width, depth, top] = props.size as Point;
  const { at, axis } = props;
  const along: Point = axis === "x" ? [1, 0, 0] : [0, 1, 0];
  const ends: Point[] =
    axis === "x"
      ? [
          [at, 0, 0],
          [at, 0, top],
          [at, depth, top],
          [at, depth, 0],
        ]
      : [
          [0, at, 0],
          [0, at, top],
          [width, at, top],
          [width, at, 0],
        ];
  const place: Point = axis === "x" ? [at, 0, top] : [0, at, top];
  return (
    <>
      <Drawn points={ends} tone={theme.action} />
      <Handle
        track={{ kind: "line", origin: place, direction: along }}
        onCancel={() => {
          held.current = null;
          liveEdit(null);
        }}
        onDrag={(by, done) => {
          held.current ??= at;
          const next = rounded(held.current + by[axis === "x" ? 0 : 1], plan.units ?? "mm");
          const change: PlanEdit = { do: "move_seam", setup: props.setup, seam: props.seam, axis, at: next };
          if (done) held.current = null;
          if (done) edit(change, "move a seam");
          else liveEdit(change);
        }}
      >
        {(hot) => (
          <group position={place}>
            {[1, -1].map((sign) => (
              <mesh
                key={sign}
                position={along.map((value) => 0.5 * sign * value * props.grip) as Point}
                rotation={axis === "x" ? [0, 0, -sign * (Math.PI / 2)] : [sign > 0 ? 0 : Math.PI, 0, 0]}
                renderOrder={7}
              >
                <coneGeometry args={[0.3 * props.grip, 0.6 * props.grip, 16]} />
                <meshBasicMaterial color={hot ? theme.ink : theme.action} depthTest={false} />
              </mesh>
            ))}
          </group>
        )}
      </Handle>
    </>
  );
}

export function SeamLines(props: { info: SetupInfo; grip: number }) {
  const { plan } = useSheetState();
  const { info } = props;
  const setup = setupOf(plan, info.id);
  const tiles = tilesOf(setup);
  const top = info.size[2];
  const window = info.tile?.window;
  const frame = useMemo((): Point[] => {
    if (!window) return [];
    const [x0, y0, x1, y1] = window;
    return [
      [x0, y0, top],
      [x1, y0, top],
      [x1, y1, top],
      [x0, y1, top],
      [x0, y0, top],
    ];
  }, [window, top]);
  if (!tiles || !info.tile) return null;
  const axis = (tiles.seams_x ?? []).length ? "x" : "y";
  return (
    <>
      <Drawn points={frame} tone={scene.entry} dashed />
      <CostLine id={setup.id} axis={axis} length={Math.max(info.size[0], info.size[1])} top={top} />
      {(["x", "y"] as const).flatMap((key) =>
        ((key === "x" ? tiles.seams_x : tiles.seams_y) ?? []).map((at, k) => (
          <Seam
            key={`${key}${k}`}
            setup={setup.id}
            seam={k + 1}
            axis={key}
            at={at}
            size={info.size}
            grip={props.grip}
          />
        )),
      )}
    </>
  );
}

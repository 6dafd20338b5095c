/** What can be dragged in Place: the chosen model, its size, its cut-off height, the work zero, clamps and screws. */
import { useRef } from "react";
import { useTheme } from "styled-components";
import * as THREE from "three";
import { placedOf, type KeepOut, type Model, type ModelState } from "../api/types";
import { nearestThird, rounded, turnedBy } from "../lib/drag";
import type { Point } from "../lib/ray";
import { scene } from "../theme";
import { setupOf, useSheetState, withSetup, zeroOf } from "../workspace/state";
import { Handle } from "./Handle";

function Arrow(props: { at: Point; direction: Point; size: number; tone: string }) {
  const { size } = props;
  const turn = new THREE.Quaternion().setFromUnitVectors(
    new THREE.Vector3(0, 1, 0),
    new THREE.Vector3(...props.direction),
  );
  return (
    <group position={props.at} quaternion={turn}>
      <mesh position={[0, size * 0.5, 0]} renderOrder={7}>
        <cylinderGeometry args={[size * 0.05, size * 0.05, size, 10]} />
        <meshBasicMaterial color={props.tone} depthTest={false} />
      </mesh>
      <mesh position={[0, size * 1.15, 0]} renderOrder={7}>
        <coneGeometry args={[size * 0.16, size * 0.4, 18]} />
        <meshBasicMaterial color={props.tone} depthTest={false} />
      </mesh>
    </group>
  );
}

const WAYS: Point[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
];

/** Arrows that move the model, from the middle of its top. */
function MoveHandles(props: { model: Model; state: ModelState; size: number }) {
  const { plan, edit, liveEdit } = useSheetState();
  const theme = useTheme();
  const { state, model, size } = props;
  const base = useRef(model.placement?.offset ?? [0, 0, 0]);
  const held = useRef(false);
  const middle = [0, 1, 2].map((k) =>
    k === 2 ? (state.high[2] as number) : ((state.low[k] as number) + (state.high[k] as number)) / 2,
  ) as Point;
  return WAYS.map((direction, axis) => (
    <Handle
      key={axis}
      track={{ kind: "line", origin: middle, direction }}
      onCancel={() => {
        held.current = false;
        liveEdit(null);
      }}
      onDrag={(by, done) => {
        if (!held.current) {
          base.current = model.placement?.offset ?? [0, 0, 0];
          held.current = true;
        }
        const move = by.map((value) => rounded(value, plan.units ?? "mm"));
        if (done) held.current = false;
        if (done && move.every((value) => value === 0)) {
          liveEdit(null);
          return;
        }
        (done ? (what: Parameters<typeof edit>[0]) => edit(what, "move") : liveEdit)({
          do: "move_model",
          model: model.id,
          by: [move[0] ?? 0, move[1] ?? 0, move[2] ?? 0],
        });
      }}
    >
      {(hot) => <Arrow at={middle} direction={direction} size={size} tone={hot ? theme.ink : theme.action} />}
    </Handle>
  ));
}

const facing = (x: Point, y: Point, z: Point) =>
  new THREE.Quaternion().setFromRotationMatrix(
    new THREE.Matrix4().makeBasis(new THREE.Vector3(...x), new THREE.Vector3(...y), new THREE.Vector3(...z)),
  );
// A quarter of a ring about X, Y and Z; the upright ones on the sides away from the arrows, so that from above none lies on another.
const ARCS = [
  facing([0, -1, 0], [0, 0, 1], [-1, 0, 0]),
  facing([-1, 0, 0], [0, 0, 1], [0, 1, 0]),
  facing([1, 0, 0], [0, 1, 0], [0, 0, 1]),
];

/** Quarter rings that turn the model about its middle: in fives of a degree, in ones with Shift. */
function TurnHandles(props: { model: Model; state: ModelState; size: number }) {
  const { edit, liveEdit } = useSheetState();
  const theme = useTheme();
  const { state, model, size } = props;
  const middle = [0, 1, 2].map((k) =>
    k === 2 ? (state.high[2] as number) : ((state.low[k] as number) + (state.high[k] as number)) / 2,
  ) as Point;
  const held = useRef<Point | null>(null);
  return WAYS.map((normal, axis) => (
    <Handle
      key={axis}
      track={{ kind: "plane", origin: middle, normal }}
      onCancel={() => {
        held.current = null;
        liveEdit(null);
      }}
      onDrag={(by, done, { from, fine }) => {
        held.current ??= middle;
        const to = from.map((value, k) => value + (by[k] as number)) as Point;
        const degrees = turnedBy(from, to, held.current, axis, fine);
        if (done) held.current = null;
        if (done && degrees === 0) {
          liveEdit(null);
          return;
        }
        (done ? (what: Parameters<typeof edit>[0]) => edit(what, "turn") : liveEdit)({
          do: "turn_model",
          model: model.id,
          axis,
          degrees,
        });
      }}
    >
      {(hot) => (
        <group position={middle} quaternion={ARCS[axis] as THREE.Quaternion}>
          <mesh renderOrder={7}>
            <torusGeometry args={[size * 1.9, size * 0.05, 8, 24, Math.PI / 2]} />
            <meshBasicMaterial color={hot ? theme.ink : scene.entry} depthTest={false} />
          </mesh>
        </group>
      )}
    </Handle>
  ));
}

/** A grip at the right edge that sizes the model. */
function SizeHandle(props: { model: Model; state: ModelState; size: number }) {
  const { plan, edit, liveEdit } = useSheetState();
  const theme = useTheme();
  const { state, model, size } = props;
  const start = useRef<number | null>(null);
  const at: Point = [
    state.high[0] as number,
    ((state.low[1] as number) + (state.high[1] as number)) / 2,
    state.low[2] as number,
  ];
  return (
    <Handle
      track={{ kind: "line", origin: at, direction: [1, 0, 0] }}
      onCancel={() => {
        start.current = null;
        liveEdit(null);
      }}
      onDrag={(by, done) => {
        start.current ??= state.size[0] as number;
        // A centred model grows at both sides, so that its edge stays under the pointer.
        const growth = (model.placement?.align?.[0] ?? "centre") === "centre" ? 2 * by[0] : by[0];
        const value = Math.max(rounded(start.current + growth, plan.units ?? "mm"), 1);
        if (done) start.current = null;
        (done ? (what: Parameters<typeof edit>[0]) => edit(what, "size") : liveEdit)({
          do: "size_model",
          model: model.id,
          axis: 0,
          value,
        });
      }}
    >
      {(hot) => (
        <mesh position={at} renderOrder={7}>
          <boxGeometry args={[size * 0.35, size * 0.35, size * 0.35]} />
          <meshBasicMaterial color={hot ? theme.ink : theme.action} depthTest={false} />
        </mesh>
      )}
    </Handle>
  );
}

/** A plane through the model that everything below goes with; let go, it cuts. */
export function CutOffHandle(props: {
  model: Model;
  state: ModelState;
  size: number;
  height: number;
  onHeight: (height: number) => void;
}) {
  const { plan, edit, setTool } = useSheetState();
  const { state, model, size, height } = props;
  const z = (state.low[2] as number) + height;
  const tall = (state.high[2] as number) - (state.low[2] as number);
  const begin = useRef<number | null>(null);
  const width = (state.high[0] as number) - (state.low[0] as number),
    depth = (state.high[1] as number) - (state.low[1] as number);
  const middle: Point = [
    ((state.high[0] as number) + (state.low[0] as number)) / 2,
    ((state.high[1] as number) + (state.low[1] as number)) / 2,
    z,
  ];
  return (
    <>
      <mesh position={middle} renderOrder={6}>
        <planeGeometry args={[width * 1.08, depth * 1.08]} />
        <meshBasicMaterial color={scene.gouge} transparent opacity={0.22} side={THREE.DoubleSide} depthWrite={false} />
      </mesh>
      <Handle
        track={{ kind: "line", origin: [state.high[0] as number, state.low[1] as number, z], direction: [0, 0, 1] }}
        onCancel={() => {
          begin.current = null;
          setTool("none");
        }}
        onDrag={(by, done) => {
          begin.current ??= height;
          const next = Math.min(
            Math.max(rounded(10 * (begin.current + by[2]), plan.units ?? "mm") / 10, tall * 0.002),
            tall * 0.998,
          );
          props.onHeight(next);
          if (!done) return;
          begin.current = null;
          edit({ do: "cut_off", model: model.id, height: next }, "cut off");
          setTool("none");
        }}
      >
        {(hot) => (
          <Arrow
            at={[state.high[0] as number, state.low[1] as number, z]}
            direction={[0, 0, 1]}
            size={size}
            tone={hot ? scene.deep : scene.gouge}
          />
        )}
      </Handle>
    </>
  );
}

/** A clamp or screw on the stock. */
function KeepOutPiece(props: { item: KeepOut }) {
  const { plan, live, keep, setupId } = useSheetState();
  const { item } = props;
  const start = useRef<[number, number] | null>(null);
  const [x, y, z] = item.size;
  const changed = (at: [number, number]) =>
    withSetup(plan, setupId, {
      keep_outs: (setupOf(plan, setupId).keep_outs ?? []).map((other) =>
        other.id === item.id ? { ...other, at } : other,
      ),
    });
  return (
    <Handle
      track={{ kind: "level", z: item.foot + z }}
      onCancel={() => {
        start.current = null;
        live(null);
      }}
      onDrag={(by, done) => {
        start.current ??= item.at;
        const at = start.current.map((value, k) => rounded(value + (by[k] as number), plan.units ?? "mm")) as [
          number,
          number,
        ];
        if (done) start.current = null;
        if (done) keep(changed(at), "move a clamp");
        else live(changed(at));
      }}
    >
      {(hot) => (
        <mesh
          position={[item.at[0], item.at[1], item.foot + z / 2]}
          rotation={item.shape === "cylinder" ? [Math.PI / 2, 0, 0] : [0, 0, 0]}
        >
          {item.shape === "cylinder" ? (
            <cylinderGeometry args={[x / 2, x / 2, z, 28]} />
          ) : (
            <boxGeometry args={[x, y, z]} />
          )}
          <meshStandardMaterial color={hot ? "#C46A3A" : "#8E4A2B"} transparent opacity={0.82} roughness={0.7} />
        </mesh>
      )}
    </Handle>
  );
}

export function KeepOutPieces() {
  const { plan, setupId } = useSheetState();
  return ((setupOf(plan, setupId).keep_outs ?? []) as KeepOut[]).map((item) => (
    <KeepOutPiece key={item.id} item={item} />
  ));
}

/** Drags the work zero from one of its nine points to another. In setup space, where it stands at the origin. */
export function ZeroHandle(props: {
  low: number[];
  high: number[];
  zero: Point;
  size: number;
  children: (hot: boolean) => React.ReactNode;
}) {
  const { plan, keep, setupId } = useSheetState();
  const zero = zeroOf(plan, setupId);
  const [low, high] = [props.low as Point, props.high as Point];
  return (
    <Handle
      track={{ kind: "level", z: props.zero[2] }}
      onCancel={() => undefined}
      onDrag={(by, done) => {
        if (!done || Math.hypot(by[0], by[1]) < props.size * 0.2) return;
        const x = nearestThird(props.zero[0] + by[0], low[0], high[0]),
          y = nearestThird(props.zero[1] + by[1], low[1], high[1]);
        if (x !== zero.x || y !== zero.y || zero.at)
          keep(withSetup(plan, setupId, { zero: { ...zero, x, y, at: null } }), "zero");
      }}
    >
      {(hot) => <group position={props.zero}>{props.children(hot)}</group>}
    </Handle>
  );
}

/** The handles of the chosen model. In stock space. */
export function PlaceHandles(props: { size: number; cutOff: number | null; onCutOff: (height: number) => void }) {
  const { plan, derived, chosen, tool } = useSheetState();
  const model = chosen.kind === "model" ? plan.models?.find((item) => item.id === chosen.id) : undefined;
  const state = model && placedOf(derived, model.id);
  if (!model || !state || model.shown === false) return null;
  if (tool === "cut off") {
    return (
      <CutOffHandle
        model={model}
        state={state}
        size={props.size}
        height={props.cutOff ?? state.slab ?? 0.2 * (state.size[2] as number)}
        onHeight={props.onCutOff}
      />
    );
  }
  if (tool !== "none") return null;
  return (
    <>
      <MoveHandles model={model} state={state} size={props.size} />
      <TurnHandles model={model} state={state} size={props.size} />
      <SizeHandle model={model} state={state} size={props.size} />
    </>
  );
}

/** A built-up relief in the view: its surface, the outlines of its pieces, and grips for the one that is chosen. */
import type { ThreeEvent } from "@react-three/fiber";
import { useEffect, useMemo, useRef } from "react";
import { useTheme } from "styled-components";
import * as THREE from "three";
import { usePicture } from "../api/results";
import { useReliefPreview, useReliefReach } from "../api/reliefs";
import type { Composition, Model, ModelState, ReliefPiece } from "../api/types";
import { rounded } from "../lib/drag";
import { boxOf, inPiece, onPlan, pieceAt, reachCoordinates, type ReachHead, type Ring, type Spot } from "../lib/relief";
import type { Point } from "../lib/ray";
import { scene } from "../theme";
import { useSheetState, withPiece } from "../workspace/state";
import { Handle } from "./Handle";
import { matrixOf } from "./Pieces";
import { SectionLine, useReachPicture } from "./ReliefLook";

interface Corners {
  vertices: Float32Array;
  faces: Uint32Array;
  matrix: number[][];
}

/** The six sides of the stock as planes that look inwards, in the space that `matrix` leads to from the stock. */
function stockPlanes(size: number[], matrix: THREE.Matrix4): THREE.Plane[] {
  return [0, 1, 2].flatMap((axis) =>
    [1, -1].map((way) => {
      const normal = new THREE.Vector3().setComponent(axis, way);
      // A hair outside, so that what is flush with the stock is inside.
      return new THREE.Plane(normal, way > 0 ? 1e-3 : (size[axis] as number) + 1e-3).applyMatrix4(matrix);
    }),
  );
}

function useSurface(corners: Corners | null, reach: ReachHead | undefined) {
  const geometry = useMemo(() => {
    if (!corners) return null;
    const shared = new THREE.BufferGeometry();
    shared.setAttribute("position", new THREE.BufferAttribute(corners.vertices, 3));
    shared.setIndex(new THREE.BufferAttribute(corners.faces, 1));
    if (reach) shared.setAttribute("uv", new THREE.BufferAttribute(reachCoordinates(corners.vertices, reach), 2));
    return shared;
  }, [corners, reach]);
  useEffect(() => () => geometry?.dispose(), [geometry]);
  return geometry;
}

function RingLines(props: { rings: Ring[]; tone: string }) {
  const geometry = useMemo(() => {
    const points: THREE.Vector3[] = [];
    for (const ring of props.rings)
      ring.forEach((point, k) => {
        points.push(new THREE.Vector3(...point), new THREE.Vector3(...(ring[(k + 1) % ring.length] as Point)));
      });
    return new THREE.BufferGeometry().setFromPoints(points);
  }, [props.rings]);
  useEffect(() => () => geometry.dispose(), [geometry]);
  return (
    <lineSegments geometry={geometry} renderOrder={6}>
      <lineBasicMaterial color={props.tone} depthTest={false} />
    </lineSegments>
  );
}

type Grip = "move" | "turn" | "scale";

/** What a drag makes of a piece: moved, turned about its place, or its source scaled. Lengths are the relief's own. */
export function dragged(piece: ReliefPiece, grip: Grip, from: Spot, by: Spot, unit: "mm" | "in"): Partial<ReliefPiece> {
  const at = piece.at;
  if (grip === "move") return { at: [rounded(at[0] + by[0], unit), rounded(at[1] + by[1], unit)] };
  const before = [from[0] - at[0], from[1] - at[1]] as Spot,
    after = [before[0] + by[0], before[1] + by[1]] as Spot;
  if (grip === "turn") {
    const turned = ((Math.atan2(after[1], after[0]) - Math.atan2(before[1], before[0])) * 180) / Math.PI;
    const angle = (((Math.round((piece.angle + turned) * 2) / 2 + 540) % 360) - 180) as number;
    return { angle };
  }
  const factor = Math.max(Math.hypot(...after) / Math.max(Math.hypot(...before), 1e-9), 0.02);
  const source = { ...piece.source } as Record<string, unknown>;
  for (const name of ["diameter", "width", "length", "radius", "size"])
    if (typeof source[name] === "number") source[name] = rounded((source[name] as number) * factor, unit);
  return { source: source as unknown as ReliefPiece["source"] };
}

function PieceGrips(props: {
  model: Model;
  piece: ReliefPiece;
  rings: Ring[] | undefined;
  matrix: THREE.Matrix4;
  z: number;
  size: number;
}) {
  const { plan, live, keep } = useSheetState();
  const theme = useTheme();
  const held = useRef<{ piece: ReliefPiece; back: THREE.Matrix4 } | null>(null);
  const { piece, matrix, size } = props;
  const box = boxOf(props.rings);
  if (!box || piece.repeat.along) return null;
  const unit = plan.units ?? "mm";
  const offset = piece.source.kind === "offset";
  const spots: Partial<Record<Grip, Spot>> = {
    move:
      piece.repeat.count > 1 || offset ? piece.at : [(box.low[0] + box.high[0]) / 2, (box.low[1] + box.high[1]) / 2],
    ...(offset ? {} : { turn: [(box.low[0] + box.high[0]) / 2, box.high[1] + size], scale: box.high }),
  };
  return (Object.entries(spots) as [Grip, Spot][]).map(([grip, spot]) => {
    const at = new THREE.Vector3(spot[0], spot[1], props.z).applyMatrix4(matrix);
    return (
      <Handle
        key={grip}
        track={{ kind: "level", z: at.z }}
        onCancel={() => {
          held.current = null;
          live(null);
        }}
        onDrag={(by, done, { from }) => {
          held.current ??= { piece, back: matrix.clone().invert() };
          const { back } = held.current;
          const start = new THREE.Vector3(...from).applyMatrix4(back);
          const end = new THREE.Vector3(...(from.map((v, k) => v + (by[k] as number)) as Point)).applyMatrix4(back);
          const change = dragged(
            held.current.piece,
            grip,
            [start.x, start.y],
            [end.x - start.x, end.y - start.y],
            unit,
          );
          const next = withPiece(plan, props.model.id, piece.id, change);
          if (done) held.current = null;
          if (done) keep(next, `${grip} ${piece.name}`);
          else live(next, true);
        }}
      >
        {(hot) => (
          <mesh position={at} renderOrder={8}>
            {grip === "turn" ? (
              <torusGeometry args={[size * 0.32, size * 0.09, 8, 24]} />
            ) : grip === "scale" ? (
              <boxGeometry args={[size * 0.4, size * 0.4, size * 0.4]} />
            ) : (
              <sphereGeometry args={[size * 0.32, 16, 12]} />
            )}
            <meshBasicMaterial color={hot ? theme.ink : theme.action} depthTest={false} />
          </mesh>
        )}
      </Handle>
    );
  });
}

const MOST_POINTS = 120;

/** The points of a piece that is drawn, in its own space: of each curve, or of lines and arcs. */
export function pointsOf(source: ReliefPiece["source"]): Spot[][] {
  if (source.kind === "drawn") return source.curves.map((curve) => curve.points as Spot[]);
  if (source.kind === "path") return [source.vertices.map((vertex) => [vertex[0], vertex[1]] as Spot)];
  return [];
}

/** The source with one of its points at another place. */
export function withPoint(
  source: ReliefPiece["source"],
  curve: number,
  point: number,
  to: Spot,
): ReliefPiece["source"] {
  if (source.kind === "drawn")
    return {
      ...source,
      curves: source.curves.map((old, c) =>
        c === curve ? { ...old, points: old.points.map((was, p) => (p === point ? to : was)) } : old,
      ),
    };
  if (source.kind !== "path") return source;
  return { ...source, vertices: source.vertices.map((was, p) => (p === point ? [to[0], to[1], was[2]] : was)) };
}

/** Grips on the points of a piece that is drawn. */
function PointGrips(props: { model: Model; piece: ReliefPiece; matrix: THREE.Matrix4; z: number; size: number }) {
  const { plan, live, keep } = useSheetState();
  const theme = useTheme();
  const held = useRef<{ source: ReliefPiece["source"]; back: THREE.Matrix4 } | null>(null);
  const { piece, matrix, size } = props;
  const curves = pointsOf(piece.source);
  if (piece.repeat.along || curves.reduce((sum, curve) => sum + curve.length, 0) > MOST_POINTS) return null;
  const unit = plan.units ?? "mm";
  return curves.flatMap((curve, c) =>
    curve.map((point, p) => {
      const spot = onPlan(piece, point);
      const at = new THREE.Vector3(spot[0], spot[1], props.z).applyMatrix4(matrix);
      return (
        <Handle
          key={`${c} ${p}`}
          track={{ kind: "level", z: at.z }}
          onCancel={() => {
            held.current = null;
            live(null);
          }}
          onDrag={(by, done) => {
            held.current ??= { source: piece.source, back: matrix.clone().invert() };
            const { source, back } = held.current;
            const way = new THREE.Vector3(...by)
              .transformDirection(back)
              .multiplyScalar(Math.hypot(...by) / scaleOf(matrix));
            const own = inPiece(piece, [way.x, way.y]);
            const from = pointsOf(source)[c]?.[p] ?? point;
            const to: Spot = [rounded(from[0] + own[0], unit), rounded(from[1] + own[1], unit)];
            const next = withPiece(plan, props.model.id, piece.id, { source: withPoint(source, c, p, to) });
            if (done) held.current = null;
            if (done) keep(next, "move a point");
            else live(next, true);
          }}
        >
          {(hot) => (
            <mesh position={at} renderOrder={9}>
              <boxGeometry args={[size * 0.22, size * 0.22, size * 0.22]} />
              <meshBasicMaterial color={hot ? theme.ink : theme.stop} depthTest={false} />
            </mesh>
          )}
        </Handle>
      );
    }),
  );
}

/** How much a matrix of equal scale enlarges. */
const scaleOf = (matrix: THREE.Matrix4) => new THREE.Vector3().setFromMatrixScale(matrix).x || 1;

/** A relief as the hand shapes it, in the space of a setup that `toSetup` leads to from the stock. */
export function ReliefSurface(props: {
  model: Model;
  /** Where it lies, and under which key its composed surface is kept, once it is. */
  placed: ModelState;
  toSetup: THREE.Matrix4;
  size: number;
}) {
  const { job, plan, chosen, choose, reliefLook } = useSheetState();
  const theme = useTheme();
  const { model } = props;
  const composition = model.composition as Composition;
  const { data: preview } = useReliefPreview(job.id, model.id, composition);
  const { placed } = props;
  // What is being changed has no surface of its own yet.
  const kept = job.plan.models?.find((item) => item.id === model.id)?.composition;
  const same = useMemo(() => JSON.stringify(kept) === JSON.stringify(composition), [kept, composition]);
  const { data: full } = usePicture(same && placed.state === "ready" ? placed.look : undefined);
  const look = reliefLook?.model === model.id ? reliefLook : null;
  const { data: reach = null } = useReliefReach(same && look?.cutter ? composition : null, look?.cutter ?? null);
  const picture = useReachPicture(reach);
  const corners = useMemo(() => {
    // What a cutter leaves belongs to the coarse surface.
    if (full && !reach)
      return { vertices: full.vertices, faces: Uint32Array.from(full.faces), matrix: placed.matrices[0] as number[][] };
    return preview ? { vertices: preview.vertices, faces: preview.faces, matrix: preview.head.matrix } : null;
  }, [full, preview, reach, placed.matrices]);
  const geometry = useSurface(corners, reach?.head);
  const { length, width, thickness } = plan.stock;
  const inside = useMemo(
    () => stockPlanes([length, width, thickness], props.toSetup),
    [length, width, thickness, props.toSetup],
  );
  const outside = useMemo(() => inside.map((plane) => plane.clone().negate()), [inside]);
  const matrix = useMemo(
    () => (corners ? props.toSetup.clone().multiply(matrixOf(corners.matrix)) : new THREE.Matrix4()),
    [corners, props.toSetup],
  );
  if (!preview || !geometry) return null;
  const mine = chosen.kind === "model" && chosen.id === model.id;
  const piece = mine ? composition.pieces.find((item) => item.id === chosen.piece) : undefined;
  const pick = (event: ThreeEvent<MouseEvent>) => {
    // A drag that turned the view is no click.
    if (!mine || event.delta > 4) return;
    event.stopPropagation();
    const at = event.point.clone().applyMatrix4(matrix.clone().invert());
    const found = pieceAt(Object.keys(preview.head.outlines), preview.head.outlines, [at.x, at.y]);
    choose({ kind: "model", id: model.id, ...(found ? { piece: found } : {}) });
  };
  return (
    <>
      <mesh geometry={geometry} matrix={matrix} matrixAutoUpdate={false} onClick={pick} userData={{ model: model.id }}>
        <meshStandardMaterial
          key={picture?.uuid ?? "plain"}
          color={picture ? "white" : scene.model}
          map={picture}
          flatShading
          roughness={0.85}
          side={THREE.DoubleSide}
          clippingPlanes={inside}
        />
      </mesh>
      <mesh geometry={geometry} matrix={matrix} matrixAutoUpdate={false} userData={{ aside: true }}>
        <meshBasicMaterial color={scene.gouge} side={THREE.DoubleSide} clippingPlanes={outside} clipIntersection />
      </mesh>
      {look?.section && (
        <group matrix={matrix} matrixAutoUpdate={false} userData={{ aside: true }}>
          <SectionLine mark={look.section} size={props.size * 0.2} />
        </group>
      )}
      {mine && (
        <group matrix={matrix} matrixAutoUpdate={false} userData={{ aside: true }}>
          {Object.entries(preview.head.outlines).map(([id, rings]) => (
            <RingLines key={id} rings={rings} tone={id === piece?.id ? theme.stop : theme.muted} />
          ))}
        </group>
      )}
      {piece && (
        <PieceGrips
          model={model}
          piece={piece}
          rings={preview.head.outlines[piece.id]}
          matrix={matrix}
          z={preview.head.height}
          size={props.size}
        />
      )}
      {piece && <PointGrips model={model} piece={piece} matrix={matrix} z={preview.head.height} size={props.size} />}
    </>
  );
}

/** The view of the block in its four modes. */
import { Canvas } from "@react-three/fiber";
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import { Slider, SliderThumb, SliderTrack } from "react-aria-components";
import styled, { useTheme } from "styled-components";
import * as THREE from "three";
import { useBlockDetail } from "../api/hooks";
import { placedOf, type GridFacts } from "../api/types";
import { heightsAt } from "../lib/frames";
import { onLevel } from "../lib/drag";
import { lengthText } from "../lib/numbers";
import { hitHeights, type Point, type Ray } from "../lib/ray";
import { Quiet, Segments, ToggleQuiet } from "../parts/controls";
import { scene } from "../theme";
import { infoOf, setupOf, useSheetState, withBoundary, type Mode } from "../workspace/state";
import { BlockMesh, type Deviation } from "./BlockMesh";
import { Camera, type Direction } from "./Camera";
import { FaultMarks } from "./FaultMarks";
import type { OperationData } from "./data";
import { measured, MeasureMarks, nextPoints } from "./Measure";
import type { Moment } from "./moment";
import { CurveHandles, onStock, TabHandles } from "./OutlineHandles";
import { PaceContext, usePace } from "./pace";
import { PathLines } from "./PathLines";
import { Picker, type Picked } from "./Picker";
import { BarEdges, CutterPiece, matrixOf, ModelPiece, Outline, OutlineRings, StockEdges, ZeroMark } from "./Pieces";
import { KeepOutPieces, PlaceHandles, ZeroHandle } from "./PlaceHandles";

const Frame = styled.div`
  position: relative; min-width: 0; min-height: 0; background: ${(p) => p.theme.view};
  & canvas { outline: none; }
`;
const Corner = styled.div<{ $at: string }>`
  position: absolute; display: flex; gap: 8px; align-items: center; ${(p) => p.$at};
`;
const Card = styled.div`
  background: ${(p) => p.theme.panel}; border: 1px solid ${(p) => p.theme.hairline}; padding: 6px 9px; font: 11.5px ${(p) => p.theme.mono};
`;
const Ramp = styled.div<{ $colours: string }>`width: 170px; height: 8px; background: ${(p) => p.$colours};`;
const Between = styled.div`display: flex; justify-content: space-between; margin-top: 3px;`;
const Empty = styled.div`
  position: absolute; inset: 0; display: grid; place-items: center; pointer-events: none; text-align: center; color: ${(p) => p.theme.muted};
  & span { background: ${(p) => p.theme.panel}; border: 1px solid ${(p) => p.theme.hairline}; padding: 10px 16px; max-width: 380px; }
`;
const Track = styled(SliderTrack)`
  width: 120px; height: 16px; position: relative;
  &::before { content: ""; position: absolute; left: 0; right: 0; top: 7px; height: 2px; background: ${(p) => p.theme.ink}; }
`;
const Thumb = styled(SliderThumb)`
  width: 8px; height: 16px; background: ${(p) => p.theme.action}; border-radius: 2px; top: 50%;
  &[data-focus-visible] { outline: 2px solid ${(p) => p.theme.action}; outline-offset: 2px; }
`;

const MODES: Record<Mode, string> = { place: "Place", paths: "Paths", proof: "Proof", compare: "Compare" };
const DIRECTIONS: Record<Direction, string> = { top: "Top", front: "Front", right: "Right", corner: "Corner" };

function Section(props: { low: number; high: number; value: number; onChange: (value: number) => void }) {
  const { plan } = useSheetState();
  const off = props.value >= props.high;
  return (
    <Card style={{ display: "flex", gap: 10, alignItems: "center" }}>
      <span>section X</span>
      <Slider aria-label="Section along X" minValue={props.low} maxValue={props.high} step={(props.high - props.low) / 200} value={Math.min(props.value, props.high)}
        onChange={(value) => props.onChange(value as number)}>
        <Track><Thumb /></Track>
      </Slider>
      <span style={{ minWidth: 44, textAlign: "right" }}>{off ? "off" : lengthText(props.value, plan.units ?? "mm", 1)}</span>
    </Card>
  );
}

function Legend(props: { mode: Mode; high: number; low: number; numbers: Record<string, number> | undefined }) {
  const { plan } = useSheetState();
  const unit = plan.units ?? "mm";
  if (props.mode === "paths") {
    return (
      <Card>
        <Ramp $colours={`linear-gradient(90deg, ${scene.shallow}, ${scene.deep})`} />
        <Between><span>{lengthText(props.high, unit, 1)}</span><span>depth</span><span>{lengthText(props.low, unit, 1)}</span></Between>
        <div style={{ marginTop: 4 }}><span style={{ color: scene.rapid }}>····</span> positioning <span style={{ color: scene.entry }}>—</span> entry</div>
      </Card>
    );
  }
  const n = props.numbers;
  if (props.mode !== "compare" || !n) return null;
  const number = (value: number | undefined) => lengthText(value ?? 0, unit, 3);
  const swatch = (tone: string) => <span style={{ display: "inline-block", width: 10, height: 10, background: tone, marginRight: 6, border: "1px solid #0002" }} />;
  return (
    <Card style={{ display: "grid", gridTemplateColumns: "auto auto", gap: "2px 14px" }}>
      <span>{swatch(scene.within)}within {number(n.limit)}</span><span>{(100 * (n.within_tolerance ?? 0)).toFixed(1)} %</span>
      <span>{swatch(scene.leftover)}left, could be reached</span><span>{(100 * (n.could_reach ?? 0)).toFixed(1)} %</span>
      <span style={{ paddingLeft: 16 }}>p95 where it reaches</span><span>{number(n.leftover_p95)}</span>
      <span style={{ paddingLeft: 16 }}>most, where no cutter here can</span><span>{number(n.leftover_max_unreachable)}</span>
      <span>{swatch(scene.gouge)}deepest gouge</span><span>{number(n.gouge_max)}</span>
    </Card>
  );
}

function useDeviation(key: string | null | undefined, limit: number | undefined): Deviation | null {
  const { data } = useBlockDetail(key ?? undefined, "deviation");
  const { derived } = useSheetState();
  return useMemo(() => {
    const info = infoOf(derived);
    if (!data || !info?.summary || limit === undefined) return null;
    const facts = (info.summary as unknown as { compare_grid: GridFacts }).compare_grid;
    return { data: data.data, shape: data.shape, grid: facts, limit, most: Math.max(10 * limit, 0.2) };
  }, [data, derived, limit]);
}

export function View(props: { mode: Mode; onMode: (mode: Mode) => void; list: OperationData[]; moment: Moment | null; complete: boolean }) {
  const { plan, derived, chosen, edit, keep, tool, setTool, faults } = useSheetState();
  const theme = useTheme();
  const [direction, setDirection] = useState<Direction>("corner");
  const [turn, setTurn] = useState(0);
  const [section, setSection] = useState(Infinity);
  const [points, setPoints] = useState<Point[]>([]);
  const [cutOff, setCutOff] = useState<number | null>(null);
  const pace = usePace();
  const info = infoOf(derived);
  const { mode, list, moment } = props;
  const { poke } = pace;
  // Before the picture is drawn, so that the first one of a drag is the coarser one already.
  useLayoutEffect(() => poke(), [moment, derived.models, poke]);
  useEffect(() => { setCutOff(null); setPoints([]); }, [tool]);

  const box = useMemo(() => {
    const matrix = info ? matrixOf(info.matrix) : new THREE.Matrix4();
    const found = new THREE.Box3(new THREE.Vector3(0, 0, 0), new THREE.Vector3(plan.stock.length, plan.stock.width, plan.stock.thickness)).applyMatrix4(matrix);
    return { low: found.min.toArray(), high: found.max.toArray(), matrix };
  }, [info, plan.stock]);
  const [low, high] = [box.low, box.high];
  const top = high[2] as number, foot = low[2] as number;

  const grid = list[0]?.grid;
  const version = useRef(0);
  const buffers = useMemo(() => (grid ? new Float32Array(grid.nx * grid.ny) : null), [grid]);
  const shown = mode === "paths" || mode === "proof" ? moment : null;
  const atEnd = !shown || (shown.index === list.length - 1 && shown.part >= 0.9999);
  if (buffers && grid && mode !== "place") {
    if (atEnd) heightsAt(list.map((item) => item.frames), undefined, 0, top, buffers);
    else heightsAt(list.slice(0, shown.index).map((item) => item.frames), shown.data.frames, shown.part, top, buffers);
    version.current++;
  }
  const last = infoOf(derived)?.summary as unknown as { block_key?: string; block_shape?: number[] } | null;
  const wanted = (mode === "proof" || mode === "compare") && atEnd && props.complete;
  const { data: detail } = useBlockDetail(wanted ? last?.block_key : undefined, "high");
  const fine = useMemo(() => (wanted && detail ? { data: detail.data, nx: detail.shape[2] as number, ny: detail.shape[1] as number } : null), [wanted, detail]);
  const deviation = useDeviation(mode === "compare" ? info?.compare_key : null, info?.summary?.compare.limit);

  const lowestCut = useMemo(() => {
    let found = top - 1;
    for (const item of list) for (let k = 2; k < item.points.length; k += 3) if ((item.points[k] as number) < found) found = item.points[k] as number;
    return found;
  }, [list, top]);

  const models = (plan.models ?? []).filter((model) => model.shown);
  const operation = chosen.kind === "operation" ? setupOf(plan).operations.find((item) => item.number === chosen.number) : undefined;
  const bounds = useMemo(() => {
    if (!operation || models.length === 0) return null;
    const union = new THREE.Box3();
    for (const model of models) {
      const placed = placedOf(derived, model.id);
      if (placed) union.union(new THREE.Box3(new THREE.Vector3(...(placed.low as [number, number, number])), new THREE.Vector3(...(placed.high as [number, number, number]))));
    }
    const limit = operation.boundary;
    if (limit?.boundary === "stock") union.set(new THREE.Vector3(0, 0, 0), new THREE.Vector3(plan.stock.length, plan.stock.width, plan.stock.thickness));
    else if ((limit?.boundary ?? "box") !== "box") return null;
    union.applyMatrix4(box.matrix);
    const margin = (limit?.plus ?? 0) + { inside: -1, centre: 0, outside: 1 }[limit?.contain ?? "outside"] * (operation.cutter.diameter / 2);
    return { low: [union.min.x - margin, union.min.y - margin] as [number, number], high: [union.max.x + margin, union.max.y + margin] as [number, number] };
  }, [operation, models, derived, plan.stock, box]);

  const onBlock = useCallback((ray: Ray) => (buffers && grid ? hitHeights(ray, grid, buffers, foot, top) : null), [buffers, grid, foot, top]);
  const picked = useCallback((found: Picked | null) => {
    if (!found) return;
    if (tool === "measure") setPoints((old) => nextPoints(old, found.point));
    if (tool === "pick loop" && chosen.kind === "boundary") {
      const item = plan.boundaries?.find((other) => other.id === chosen.id);
      if (item) keep(withBoundary(plan, item.id, { left_out: [...(item.left_out ?? []), onStock(found.point, box.matrix)] }), "pick a loop off");
      setTool("none");
    }
    if (tool !== "lay flat" || !found.model || !found.normal) return;
    const normal = new THREE.Vector3(...found.normal).transformDirection(box.matrix.clone().invert());
    edit({ do: "lay_flat", model: found.model, normal: normal.toArray() }, "lay a face flat");
    setTool("none");
  }, [tool, edit, setTool, box, chosen, plan, keep]);
  const onTop = useCallback((ray: Ray) => onLevel(ray, top), [top]);
  const grip = Math.max(plan.stock.length, plan.stock.width) * 0.055;

  const outlined = chosen.kind === "boundary" ? chosen.id : operation?.boundary?.boundary;
  const outline = outlined === undefined ? null : info?.outlines[outlined];
  const boundary = chosen.kind === "boundary" ? plan.boundaries?.find((item) => item.id === chosen.id) : undefined;
  const operationInfo = operation && info?.operations.find((item) => item.number === operation.number);
  const ready = list.length > 0;
  const hidden = new Set(setupOf(plan).operations.filter((item) => !item.shown).map((item) => item.number));
  return (
    <Frame data-testid="view" data-mode={mode} data-ready={ready} onKeyDown={(event) => { if (event.key === "Escape") setTool("none"); }}>
      <PaceContext.Provider value={pace}>
      <Canvas frameloop="demand" dpr={[1, 1.5]} camera={{ fov: 30, position: [200, -400, 300], up: [0, 0, 1] }} gl={{ antialias: true, preserveDrawingBuffer: true, localClippingEnabled: true }}
        aria-label="View of the block" tabIndex={0}>
        <ambientLight intensity={0.9} />
        <directionalLight position={[-200, 120, 400]} intensity={2.1} />
        <Camera low={low} high={high} direction={direction} turn={turn} />
        {plan.stock.kind === "round" ? <BarEdges length={plan.stock.length} diameter={plan.stock.width} matrix={box.matrix} /> : <StockEdges low={low} high={high} />}
        {mode === "place" && models.map((model) => {
          const placed = placedOf(derived, model.id);
          if (!placed) return null;
          // In setup space: what lies under the model's own foot is sunk.
          const floor = (placed.low[2] as number) + (box.matrix.elements[14] as number);
          const clip = setupOf(plan).side === "top" && (model.placement?.sink ?? 0) > 0 ? floor : -1e6;
          return placed.matrices.map((rows, k) => {
            const matrix = box.matrix.clone().multiply(matrixOf(rows));
            return (
              <group key={`${model.id} ${k}`}>
                <ModelPiece id={model.id} look={placed.look} matrix={matrix} floor={clip} />
                {faults && chosen.kind === "model" && chosen.id === model.id && <FaultMarks look={placed.look} fault={faults} matrix={matrix} />}
              </group>
            );
          });
        })}
        {mode === "place" && (
          <ZeroHandle low={low} high={high} size={grip}>{(hot) => <ZeroMark size={Math.max(plan.stock.length, plan.stock.width) * 0.11} hot={hot} />}</ZeroHandle>
        )}
        <group matrix={box.matrix} matrixAutoUpdate={false}>
          <KeepOutPieces />
          {mode === "place" && <PlaceHandles size={grip} cutOff={cutOff} onCutOff={setCutOff} />}
        </group>
        {bounds && mode !== "compare" && <Outline low={bounds.low} high={bounds.high} z={top} tone={theme.action} />}
        {operation?.strategy === "cut_out" && operationInfo && (mode === "place" || mode === "paths") && <TabHandles operation={operation} info={operationInfo} foot={foot} />}
        {boundary?.source === "drawn" && mode === "place" && <group matrix={box.matrix} matrixAutoUpdate={false}><CurveHandles boundary={boundary} top={plan.stock.thickness} size={grip * 0.16} /></group>}
        {outline && !outline.refused && mode !== "compare" && <OutlineRings outline={outline.key} z={top} tone={theme.action} />}
        {mode !== "place" && buffers && grid && (
          <BlockMesh grid={grid} heights={buffers} foot={foot} top={top} section={section} fine={fine} deviation={deviation} version={version.current} wood={plan.stock.material?.colour ?? scene.wood} />
        )}
        {mode === "paths" && list.map((item, k) => {
          if (hidden.has(item.number) || (operation && operation.number !== item.number)) return null;
          const upTo = !moment || k < moment.index ? Infinity : k === moment.index ? moment.move : -1;
          return <PathLines key={item.number} data={item} upTo={upTo} high={top} low={lowestCut} section={section} />;
        })}
        {moment && (mode === "paths" || mode === "proof") && !atEnd && <CutterPiece section={info?.operations.find((item) => item.number === moment.data.number)?.outline ?? []} at={moment.at} />}
        <Picker active={tool === "measure" || tool === "lay flat" || tool === "pick loop"} block={tool === "pick loop" ? onTop : mode === "place" ? null : onBlock} onPick={picked} />
        {tool === "measure" && <MeasureMarks points={points} size={Math.max(plan.stock.length, plan.stock.width) * 0.005} />}
      </Canvas>
      </PaceContext.Provider>
      {!ready && mode !== "place" && (
        <Empty><span>{models.length ? "Nothing is calculated yet. Press Calculate, and the paths, the proof and the comparison appear here." : "Bring in a mesh first: drop a file on the sheet."}</span></Empty>
      )}
      {mode === "compare" && ready && !info?.summary && <Empty><span>The comparison is made when all operations are up to date. Press Calculate.</span></Empty>}
      <Corner $at="top: 10px; left: 12px"><Segments label="Mode" value={mode} choices={MODES} onChange={props.onMode} /></Corner>
      <Corner $at="top: 10px; right: 12px">
        <Segments label="Direction" value={direction} choices={DIRECTIONS} onChange={(value) => { setDirection(value); setTurn(turn + 1); }} />
        <Quiet onPress={() => setTurn(turn + 1)}>Fit</Quiet>
        <ToggleQuiet isSelected={tool === "measure"} onChange={(on) => setTool(on ? "measure" : "none")}>Measure</ToggleQuiet>
      </Corner>
      {tool === "measure" && <Corner $at="top: 48px; right: 12px"><Card role="status" data-testid="measured">{measured(points, plan.units ?? "mm").map((line) => <div key={line}>{line}</div>)}</Card></Corner>}
      {mode === "place" && (
        <Corner $at="bottom: 12px; left: 12px"><Card data-testid="zero"><b style={{ color: scene.zero }}>zero</b> {info?.zero}</Card></Corner>
      )}
      {tool === "cut off" && cutOff !== null && <Corner $at="bottom: 44px; left: 12px"><Card>cut off below {lengthText(cutOff, plan.units ?? "mm", 2)}</Card></Corner>}
      <Corner $at="bottom: 12px; left: 12px"><Legend mode={mode} high={top} low={lowestCut} numbers={info?.summary?.compare} /></Corner>
      {mode !== "place" && <Corner $at="bottom: 12px; right: 12px"><Section low={low[0] as number} high={high[0] as number} value={section} onChange={(value) => setSection(value >= (high[0] as number) ? Infinity : value)} /></Corner>}
    </Frame>
  );
}

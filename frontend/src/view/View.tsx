/** The view of the block in its four modes. */
import { Canvas } from "@react-three/fiber";
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from "react";
import styled, { useTheme } from "styled-components";
import * as THREE from "three";
import { onLevel } from "../lib/drag";
import { lengthText } from "../lib/numbers";
import { columnAt, lastCut, probeText } from "../lib/probe";
import { hitHeights, type Point, type Ray } from "../lib/ray";
import { NO_SECTION, type Section } from "../lib/section";
import { looks, scene } from "../theme";
import { infoOf, setupOf, useSheetState, withBoundary, type Mode, type Tool } from "../workspace/state";
import { BlockMesh, type Look } from "./BlockMesh";
import { boundsOf } from "./bounds";
import { BarHolders } from "./BarPieces";
import { Camera, type Direction, type Focus } from "./Camera";
import { Card, Corner } from "./cards";
import { lensOf, LookFrame, useCloseLook } from "./closeLook";
import { ComparePanel } from "./ComparePanel";
import type { OperationData } from "./data";
import { MeasureMarks, nextPoints } from "./Measure";
import type { Moment } from "./moment";
import { DrawnSoFar, useDrawing } from "./DrawTool";
import { CurveHandles, onStock, TabHandles } from "./OutlineHandles";
import { PaceContext, usePace } from "./pace";
import { PathLines } from "./PathLines";
import { Picker, type Picked } from "./Picker";
import { BarEdges, CutterPiece, matrixOf, Outline, OutlineRings, StockEdges } from "./Pieces";
import { KeepOutPieces, PlaceHandles } from "./PlaceHandles";
import { FaceTabs, PartingHandle } from "./FacePieces";
import { PlacedModels } from "./PlacedModels";
import { ProofPanel } from "./ProofPanel";
import { RegistrationLegend } from "./RegistrationOutline";
import { SectionCap, SectionControl } from "./SectionCap";
import { Shutter, type Shoot } from "./Shutter";
import { SweptCircles } from "./SweptCircles";
import { PathLegend, ViewTools } from "./ViewTools";
import { ViewGuard } from "./ViewGuard";
import { WholePanel } from "./WholePanel";
import { WholePart, type WholePaint } from "./WholePart";
import { useShownBlock, useShownDeviation } from "./shown";
import { ZeroPieces } from "./ZeroPieces";

const IDENTITY = new THREE.Matrix4();
/** Tools that a click on the model or the block is for. */
const CLICKED = new Set<Tool>(["measure", "lay flat", "pick loop", "probe", "window", "draw"]);

const Frame = styled.div`
  position: relative;
  min-width: 0;
  min-height: 0;
  background: ${(p) => p.theme.view};
  & canvas {
    outline: none;
  }
`;
const Empty = styled.div`
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  pointer-events: none;
  text-align: center;
  color: ${(p) => p.theme.muted};
  & span {
    background: ${(p) => p.theme.panel};
    border: 1px solid ${(p) => p.theme.hairline};
    padding: 10px 16px;
    max-width: 380px;
  }
`;

export function View(props: {
  mode: Mode;
  onMode: (mode: Mode) => void;
  list: OperationData[];
  moment: Moment | null;
  complete: boolean;
  focus: Focus | null;
  onTime: (time: number) => void;
  onExternalOff: () => void;
}) {
  const { job, plan, derived, chosen, edit, keep, tool, setTool, external, setupId } = useSheetState();
  const theme = useTheme();
  const [direction, setDirection] = useState<Direction>("corner");
  const [turn, setTurn] = useState(0);
  const [section, setSection] = useState<Section>(NO_SECTION);
  const [lookKey, setLookKey] = useState("stock");
  const [alone, setAlone] = useState(false);
  const [all, setAll] = useState(false);
  const [unrolled, setUnrolled] = useState(false);
  const [paint, setPaint] = useState<WholePaint>("deviation");
  const [limits, setLimits] = useState<{ limit: number | null; most: number | null }>({ limit: null, most: null });
  const [probe, setProbe] = useState<Point | null>(null);
  const shoot = useRef<Shoot | null>(null);
  const [points, setPoints] = useState<Point[]>([]);
  const [cutOff, setCutOff] = useState<number | null>(null);
  const pace = usePace();
  const info = infoOf(derived, setupId);
  const { mode, list, moment } = props;
  const { poke } = pace;
  // Before the picture is drawn, so that the first one of a drag is the coarser one already.
  useLayoutEffect(() => poke(), [moment, derived.models, poke]);
  useEffect(() => {
    setCutOff(null);
    setPoints([]);
    setProbe(null);
  }, [tool]);
  // Another setup has another side up.
  useEffect(() => setTurn((old) => old + 1), [setupId]);
  const look = useCloseLook(job.id, info?.id, list, moment, `${mode} ${info?.summary?.block_key ?? ""}`);
  const { place } = look;
  // A place that is flown to must not lie in what a section cuts away.
  useEffect(() => {
    if (props.focus) setSection(NO_SECTION);
  }, [props.focus]);

  const box = useMemo(() => {
    const matrix = info ? matrixOf(info.matrix) : new THREE.Matrix4();
    const found = new THREE.Box3(
      new THREE.Vector3(0, 0, 0),
      new THREE.Vector3(plan.stock.length, plan.stock.width, plan.stock.thickness),
    ).applyMatrix4(matrix);
    return { low: found.min.toArray(), high: found.max.toArray(), matrix };
  }, [info, plan.stock]);
  const bar = info?.bar ?? null;
  const flat = bar !== null && unrolled && mode !== "place";
  /** Of a bar that is shown round: the reference radius of its unrolled surface. */
  const around = bar && !flat ? bar.radius : 0;
  const [low, high] = flat && info ? [[0, 0, 0], info.size] : [box.low, box.high];
  const zero: Point = info?.zero_at ?? [0, 0, 0];
  const top = bar ? bar.radius : (high[2] as number),
    foot = bar ? 0 : (low[2] as number);

  const shown = mode === "paths" || mode === "proof" ? moment : null;
  const block = useShownBlock({
    list,
    moment: shown,
    top,
    foot,
    hidden: mode === "place",
    complete: props.complete,
    fineIn: mode === "proof" || mode === "compare",
    alone: alone && mode === "proof",
  });
  const { grid, heights: buffers, atEnd, fine } = block;
  const unit = plan.units ?? "mm";
  const summary = external ? null : info?.summary;
  const limit = limits.limit ?? summary?.compare.limit ?? 0.05,
    most = limits.most ?? Math.max(10 * limit, 0.2);
  const compared = useShownDeviation(mode === "compare" && !external ? info : undefined, limit, most);

  const lowestCut = useMemo(() => {
    let found = top - 1;
    for (const item of list)
      for (let k = 2; k < item.points.length; k += 3)
        if ((item.points[k] as number) < found) found = item.points[k] as number;
    return found;
  }, [list, top]);

  const models = (plan.models ?? []).filter((model) => model.shown);
  const operation =
    chosen.kind === "operation"
      ? setupOf(plan, setupId).operations.find((item) => item.number === chosen.number)
      : undefined;
  const bounds = useMemo(
    () => (operation && !bar ? boundsOf(operation, plan, derived, box.matrix) : null),
    [operation, plan, derived, box, bar],
  );

  const onBlock = useCallback(
    (ray: Ray) => (buffers && grid && around === 0 ? hitHeights(ray, grid, buffers, foot, top) : null),
    [buffers, grid, foot, top, around],
  );
  const grip = Math.max(plan.stock.length, plan.stock.width) * 0.055;
  const boundary = chosen.kind === "boundary" ? plan.boundaries?.find((item) => item.id === chosen.id) : undefined;
  const curved = boundary?.source === "drawn" && (bar ? flat && mode === "paths" : mode === "place");
  const asSeen = flat || boundary?.setup === setupId;
  const curveMatrix = asSeen ? IDENTITY : box.matrix;
  const curveTop = asSeen ? top : plan.stock.thickness;
  const { points: drawn, add } = useDrawing(boundary, curveMatrix, grip * 0.15);
  const picked = useCallback(
    (found: Picked | null) => {
      if (!found) return;
      if (tool === "measure") setPoints((old) => nextPoints(old, found.point));
      if (tool === "probe") setProbe(found.point);
      if (tool === "draw") add(found.point);
      if (tool === "window")
        place([found.point[0], found.point[1]].map((value) => Math.round(10 * value) / 10) as [number, number]);
      if (tool === "pick loop" && chosen.kind === "boundary") {
        const item = plan.boundaries?.find((other) => other.id === chosen.id);
        if (item)
          keep(
            withBoundary(plan, item.id, { left_out: [...(item.left_out ?? []), onStock(found.point, box.matrix)] }),
            "pick a loop off",
          );
        setTool("none");
      }
      if (tool !== "lay flat" || !found.model || !found.normal) return;
      const normal = new THREE.Vector3(...found.normal).transformDirection(box.matrix.clone().invert());
      edit({ do: "lay_flat", model: found.model, normal: normal.toArray() }, "lay a face flat");
      setTool("none");
    },
    [tool, edit, setTool, box, chosen, plan, keep, place, add],
  );
  const onTop = useCallback((ray: Ray) => onLevel(ray, top), [top]);

  const outlined = chosen.kind === "boundary" ? chosen.id : operation?.boundary?.boundary;
  const outline = outlined === undefined ? null : info?.outlines[outlined];
  const operationInfo = operation && info?.operations.find((item) => item.number === operation.number);
  const ready = list.length > 0;
  // While it is cut the bar turns under the upright cutter.
  const spin = around > 0 && moment && !atEnd && (mode === "paths" || mode === "proof") ? moment.at[1] / around : 0;
  const whole = all && (mode === "proof" || mode === "compare") && !external ? derived.whole : null;
  const material: Look =
    mode === "proof" && lookKey in looks
      ? looks[lookKey as keyof typeof looks]
      : {
          colour: plan.stock.material?.colour ?? scene.wood,
          grain: plan.stock.material?.grain === false ? 0 : 1,
          shine: 0,
        };
  const column = probe && grid ? columnAt(grid, probe[0], probe[1]) : null;
  const cut = column === null ? null : lastCut(list, column);
  const probed = probe && compared.at(probe, cut);
  const parentOf = (number: number) => info?.operations.find((item) => item.number === number)?.parent ?? number;
  const hidden = new Set(
    setupOf(plan, setupId)
      .operations.filter((item) => !item.shown)
      .map((item) => item.number),
  );
  return (
    <Frame
      data-testid="view"
      data-mode={mode}
      data-ready={ready}
      onKeyDown={(event) => {
        if (event.key === "Escape") setTool("none");
      }}
    >
      <PaceContext.Provider value={pace}>
        <ViewGuard>
          {(watch) => (
            <Canvas
              frameloop="demand"
              dpr={[1, 1.5]}
              camera={{ fov: 30, position: [200, -400, 300], up: [0, 0, 1] }}
              onCreated={({ gl }) => watch(gl.domElement)}
              gl={{ antialias: true, preserveDrawingBuffer: true, localClippingEnabled: true }}
              role="application"
              aria-label="View of the block"
              tabIndex={0}
            >
              <ambientLight intensity={0.9} />
              <directionalLight position={[-200, 120, 400]} intensity={2.1} />
              <Camera
                low={low}
                high={high}
                direction={direction}
                turn={turn}
                focus={props.focus}
                raised={mode === "compare" && summary ? 52 : 0}
              />
              <Shutter shoot={shoot} />
              <group userData={{ aside: true }}>
                {plan.stock.kind === "round" && !flat ? (
                  <BarEdges length={plan.stock.length} diameter={plan.stock.width} matrix={box.matrix} />
                ) : (
                  <StockEdges low={low} high={high} />
                )}
              </group>
              {mode === "place" && !flat && <SweptCircles matrix={box.matrix} />}
              {mode === "place" && <PlacedModels models={models} toSetup={box.matrix} size={grip * 0.7} />}
              {bar && !flat && <BarHolders bar={bar} length={plan.stock.length} core={mode === "place"} />}
              {mode === "place" && <ZeroPieces info={info} low={low} high={high} zero={zero} grip={grip} />}
              <group position={[...(info?.tile?.slid ?? [0, 0]), 0] as Point}>
                <KeepOutPieces />
              </group>
              <group matrix={box.matrix} matrixAutoUpdate={false}>
                {mode === "place" && plan.faces && (
                  <>
                    <PartingHandle matrix={box.matrix} size={grip * 0.5} />
                    <FaceTabs matrix={box.matrix} size={grip * 0.9} />
                  </>
                )}
                {mode === "place" && !(chosen.kind === "model" && chosen.piece) && (
                  <PlaceHandles size={grip} cutOff={cutOff} onCutOff={setCutOff} />
                )}
              </group>
              <group userData={{ aside: true }}>
                {bounds && (mode === "place" || mode === "paths") && (
                  <Outline low={bounds.low} high={bounds.high} z={top} tone={theme.action} />
                )}
                {operation?.strategy === "cut_out" && operationInfo && (mode === "place" || mode === "paths") && (
                  <TabHandles operation={operation} info={operationInfo} foot={foot} />
                )}
                {boundary && curved && (
                  <group matrix={curveMatrix} matrixAutoUpdate={false}>
                    <CurveHandles boundary={boundary} top={curveTop} size={grip * 0.16} />
                    <DrawnSoFar points={drawn} top={curveTop} size={grip * 0.1} />
                  </group>
                )}
                {outline && !outline.refused && around === 0 && (mode === "place" || mode === "paths") && (
                  <OutlineRings outline={outline.key} z={top} tone={theme.action} />
                )}
              </group>
              {whole && (
                <WholePart
                  part={whole.key}
                  matrix={box.matrix}
                  colour={material.colour}
                  section={section}
                  compare={mode === "compare" ? { limit, most, shown: paint } : null}
                />
              )}
              {mode !== "place" && !whole && buffers && grid && (
                <group rotation={[spin, 0, 0]}>
                  <BlockMesh
                    grid={grid}
                    heights={buffers}
                    foot={foot}
                    top={top}
                    section={section}
                    fine={fine}
                    deviation={compared.picture}
                    version={block.version}
                    look={material}
                    lens={look.lens && lensOf(look.lens)}
                    around={around}
                  />
                  {/* While a bar is turned, what lies along its axis is cut elsewhere. */}
                  {(spin === 0 || section.axis === "x") && (
                    <SectionCap
                      section={section}
                      grid={grid}
                      heights={buffers}
                      foot={foot}
                      version={block.version}
                      colour={material.colour}
                      under={block.under}
                      around={around}
                    />
                  )}
                  {look.lens && (
                    <BlockMesh
                      grid={look.lens.grid}
                      heights={look.lens.data}
                      foot={foot}
                      top={top}
                      section={section}
                      version={0}
                      look={material}
                    />
                  )}
                </group>
              )}
              {mode === "paths" &&
                list.map((item, k) => {
                  if (
                    !external &&
                    (hidden.has(parentOf(item.number)) || (operation && operation.number !== parentOf(item.number)))
                  )
                    return null;
                  const upTo = !moment || k < moment.index ? Infinity : k === moment.index ? moment.move : -1;
                  return (
                    <group key={item.number} rotation={[spin, 0, 0]}>
                      <PathLines data={item} upTo={upTo} high={top} low={lowestCut} section={section} around={around} />
                    </group>
                  );
                })}
              {moment && (mode === "paths" || mode === "proof") && !atEnd && (
                <CutterPiece
                  section={
                    (external ? external.proof.parts : (info?.operations ?? [])).find(
                      (item) => item.number === moment.data.number,
                    )?.outline ?? []
                  }
                  at={around > 0 ? [moment.at[0], 0, moment.at[2]] : moment.at}
                />
              )}
              <Picker
                active={CLICKED.has(tool) && (tool !== "draw" || curved)}
                block={tool === "pick loop" || tool === "draw" ? onTop : mode === "place" ? null : onBlock}
                onPick={picked}
              />
              {tool === "window" && <LookFrame look={look} z={top} tone={theme.action} />}
              {tool === "measure" && (
                <MeasureMarks points={points} size={Math.max(plan.stock.length, plan.stock.width) * 0.005} />
              )}
            </Canvas>
          )}
        </ViewGuard>
      </PaceContext.Provider>
      {!ready && mode !== "place" && (
        <Empty>
          <span>
            {models.length
              ? "Nothing is calculated yet. Press Calculate, and the paths, the proof and the comparison appear here."
              : "Import a mesh first: drop a file on the sheet."}
          </span>
        </Empty>
      )}
      {mode === "compare" && ready && !summary && (
        <Empty>
          <span>
            {external
              ? "An external program is compared in numbers only, in Post files."
              : "The comparison is made when all operations are up to date. Press Calculate."}
          </span>
        </Empty>
      )}
      <ViewTools
        mode={mode}
        onMode={props.onMode}
        direction={direction}
        onDirection={(value) => {
          setDirection(value);
          setTurn(turn + 1);
        }}
        onFit={() => setTurn(turn + 1)}
        points={points}
        zero={zero}
        all={all}
        onAll={setAll}
        bar={bar !== null}
        unrolled={unrolled}
        onUnrolled={(value) => {
          setUnrolled(value);
          setTurn(turn + 1);
        }}
        onExternalOff={props.onExternalOff}
        section={
          <SectionControl low={low} high={high} zero={zero} unit={unit} section={section} onChange={setSection} />
        }
      />
      {mode === "place" && (
        <Corner $at="bottom: 12px; left: 12px; right: 12px; pointer-events: none">
          <Card data-testid="zero">
            <b style={{ color: scene.zero }}>zero</b> {info?.zero}
          </Card>
          <RegistrationLegend />
        </Corner>
      )}
      {tool === "cut off" && cutOff !== null && (
        <Corner $at="bottom: 44px; left: 12px">
          <Card>cut off below {lengthText(cutOff, plan.units ?? "mm", "measured")}</Card>
        </Corner>
      )}
      {mode === "paths" && (
        <Corner $at="bottom: 12px; left: 12px">
          <PathLegend high={top - zero[2]} low={lowestCut - zero[2]} />
        </Corner>
      )}
      {mode === "proof" && ready && (
        <Corner $at="bottom: 12px; left: 12px">
          <ProofPanel
            look={lookKey}
            onLook={setLookKey}
            alone={alone}
            onAlone={setAlone}
            canStand={block.canStand}
            closeLook={look}
            middle={[((low[0] as number) + (high[0] as number)) / 2, ((low[1] as number) + (high[1] as number)) / 2]}
            onPicture={() => shoot.current?.(`${job.name}.png`)}
            times={list}
            whole={whole !== null}
          />
        </Corner>
      )}
      {mode === "compare" && whole && (
        <Corner $at="bottom: 12px; left: 12px">
          <WholePanel shown={paint} onShown={setPaint} />
        </Corner>
      )}
      {mode === "compare" && summary && !whole && (
        <Corner $at="bottom: 12px; left: 12px">
          <ComparePanel
            summary={summary}
            deviation={compared.deviation}
            reachable={compared.reachable}
            limit={limit}
            most={most}
            onLimit={(value) => setLimits({ ...limits, limit: value })}
            onMost={(value) => setLimits({ ...limits, most: value })}
            probed={probed ? probeText(probed, unit, zero) : null}
            onMoment={cut && probe ? () => props.onTime(cut.time) : null}
          />
        </Corner>
      )}
    </Frame>
  );
}

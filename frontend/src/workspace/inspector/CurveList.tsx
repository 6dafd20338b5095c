/** The curves of a drawn boundary: added, bent, given points by numbers, or imported from a drawing. */
import { ChooseFile } from "../../parts/ChooseFile";
import { useEffect, useRef, useState } from "react";
import styled from "styled-components";
import { readCurves } from "../../api/jobs";
import type { Boundary, FullPlan } from "../../api/types";
import type { Spot } from "../../lib/rims";
import { Button, Quiet, Said, ToggleQuiet } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { infoOf, useSheetState, withBoundary } from "../state";
import { Buttons, Head, Note } from "./shared";

type Curve = { points: Spot[]; smooth: boolean };
const LISTED = 16;
const PointRow = styled.div`
  display: grid;
  grid-template-columns: 1fr 1fr 22px;
  gap: 0 8px;
  align-items: center;
`;

/** Four points about the middle of the stock, for a curve to begin with. */
export function freshCurve(plan: FullPlan, smooth: boolean): Curve {
  const { length: x, width: y } = plan.stock;
  return {
    points: [
      [0.7 * x, 0.5 * y],
      [0.5 * x, 0.75 * y],
      [0.3 * x, 0.5 * y],
      [0.5 * x, 0.25 * y],
    ],
    smooth,
  };
}

/** The points with one more, in the middle of the longest side. */
export function withPoint(points: Spot[]): Spot[] {
  let longest = 0,
    at = 0;
  points.forEach((a, k) => {
    const b = points[(k + 1) % points.length] as Spot,
      side = Math.hypot(b[0] - a[0], b[1] - a[1]);
    if (side > longest) {
      longest = side;
      at = k;
    }
  });
  const a = points[at] as Spot,
    b = points[(at + 1) % points.length] as Spot;
  return [...points.slice(0, at + 1), [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2], ...points.slice(at + 1)];
}

export function CurveList(props: { boundary: Boundary }) {
  const { plan, derived, live, keep, tool, setTool, setupId } = useSheetState();
  const bar = infoOf(derived, setupId)?.bar;
  const [said, setSaid] = useState<{ text: string; bad: boolean } | null>(null);
  const { boundary } = props;
  const unit = plan.units ?? "mm";
  const curves = (boundary.curves ?? []) as Curve[];
  const changed = (next: Curve[]) => withBoundary(plan, boundary.id, { curves: next });
  // While a file is read the plan may go on.
  const latest = useRef({ plan, curves });
  useEffect(() => {
    latest.current = { plan, curves };
  });
  const swap = (k: number, curve: Curve) => curves.map((old, n) => (n === k ? curve : old));
  const bring = async (file: File) => {
    try {
      const found = await readCurves(file);
      const now = latest.current,
        more = found.curves.map((points) => ({ points, smooth: false }));
      keep(withBoundary(now.plan, boundary.id, { curves: [...now.curves, ...more] }), `curves of ${file.name}`);
      setSaid({
        text: [
          `${found.curves.length} ${found.curves.length === 1 ? "curve" : "curves"} imported`,
          ...found.notes,
        ].join("; "),
        bad: false,
      });
    } catch (reason) {
      setSaid({ text: (reason as Error).message, bad: true });
    }
  };
  return (
    <>
      <Head>
        Curves<span>{curves.length || "none yet"}</span>
      </Head>
      {curves.map((curve, k) => (
        <div key={k} data-testid="curve">
          <Buttons>
            <ToggleQuiet
              isSelected={curve.smooth}
              onChange={(smooth) => keep(changed(swap(k, { ...curve, smooth })), "bend a curve")}
            >
              Smooth
            </ToggleQuiet>
            <Quiet onPress={() => keep(changed(swap(k, { ...curve, points: withPoint(curve.points) })), "add a point")}>
              + Point
            </Quiet>
            <Quiet
              aria-label={`Take out curve ${k + 1}`}
              onPress={() => keep(changed(curves.filter((_, n) => n !== k)), "take a curve out")}
            >
              Take out
            </Quiet>
          </Buttons>
          {curve.points.length > LISTED ? (
            <Note>{curve.points.length} points.</Note>
          ) : (
            curve.points.map((point, p) => (
              <PointRow key={p}>
                {(["X", "Y"] as const).map((axis, a) => {
                  const moved = (value: number) =>
                    changed(
                      swap(k, {
                        ...curve,
                        points: curve.points.map((old, q) =>
                          q === p ? (a === 0 ? [value, old[1]] : [old[0], value]) : old,
                        ),
                      }),
                    );
                  return (
                    <NumberField
                      key={axis}
                      tight
                      label={`${p + 1} ${axis}`}
                      unit={unit}
                      value={point[a] as number}
                      low={-10000}
                      high={10000}
                      step={0.5}
                      onLive={(value) => value !== null && live(moved(value))}
                      onChange={(value) => value !== null && keep(moved(value), "move a point")}
                    />
                  );
                })}
                <Quiet
                  aria-label={`Take out point ${p + 1}`}
                  isDisabled={curve.points.length <= 3}
                  onPress={() =>
                    keep(
                      changed(swap(k, { ...curve, points: curve.points.filter((_, q) => q !== p) })),
                      "take a point out",
                    )
                  }
                >
                  ×
                </Quiet>
              </PointRow>
            ))
          )}
        </div>
      ))}
      <Buttons>
        <ToggleQuiet isSelected={tool === "draw"} onChange={(on) => setTool(on ? "draw" : "none")}>
          Draw
        </ToggleQuiet>
        <Quiet onPress={() => keep(changed([...curves, freshCurve(plan, false)]), "add a polygon")}>+ Polygon</Quiet>
        <Quiet onPress={() => keep(changed([...curves, freshCurve(plan, true)]), "add a curve")}>+ Smooth curve</Quiet>
        <ChooseFile
          acceptedFileTypes={[".svg", ".dxf"]}
          onSelect={(files) => {
            if (files?.[0]) void bring(files[0]);
          }}
        >
          <Button>Import SVG or DXF…</Button>
        </ChooseFile>
      </Buttons>
      {tool === "draw" && (
        <Note role="status">
          Click point after point on the model in {bar ? "Paths, Unrolled" : "Place"}. A click on the first point or
          Enter closes the curve, Backspace takes the last point back, Escape ends it.
        </Note>
      )}
      {said && (said.bad ? <Said role="alert">{said.text}</Said> : <Note role="status">{said.text}.</Note>)}
      {curves.length > 0 && <Note>Points are dragged in the view. A curve inside another is a hole.</Note>}
    </>
  );
}

/** A section through a relief with its heights, and whether a cutter fits into it. */
import { useEffect, useMemo, useState } from "react";
import styled, { useTheme } from "styled-components";
import { useReliefPreview, useReliefSection } from "../../../api/reliefs";
import type { Composition, Cutter, Model } from "../../../api/types";
import { lengthText } from "../../../lib/numbers";
import { boxOf, sectionEnds, sectionLine, sectionMark, type SectionMark, type Spot } from "../../../lib/relief";
import { Said, Segments } from "../../../parts/controls";
import { NumberField } from "../../../parts/fields";
import { useSheetState } from "../../state";
import { Folded, Note } from "../shared";

const WIDE = 284;
const TALL = 84;
const NOWHERE: Spot = [0, 0];

const Chart = styled.svg`
  display: block;
  width: 100%;
  background: ${(p) => p.theme.ground};
  border: 1px solid ${(p) => p.theme.hairline};
  margin: 4px 0;
  outline: none;
`;

/** The name of the piece, and the height, at a share of the section. */
export function readAt(
  section: { along: number[]; height: number[]; piece: (string | null)[] },
  share: number,
): { along: number; height: number; piece: string | null } {
  const k = Math.max(0, Math.min(section.along.length - 1, Math.round(share * (section.along.length - 1))));
  return { along: section.along[k] ?? 0, height: section.height[k] ?? 0, piece: section.piece[k] ?? null };
}

export function SectionPanel(props: {
  model: Model;
  composition: Composition;
  piece: string | undefined;
  cutter: Cutter | null;
  /** The section as it is drawn in the view, while it is looked at. */
  onMark: (mark: SectionMark | null) => void;
}) {
  const { job, plan } = useSheetState();
  const theme = useTheme();
  const { data: preview } = useReliefPreview(job.id, props.model.id, props.composition);
  const [axis, setAxis] = useState<"x" | "y">("x");
  const [place, setPlace] = useState<number | null>(null);
  const [open, setOpen] = useState(false);
  const [share, setShare] = useState(0.5);
  const unit = plan.units ?? "mm";
  const whole = boxOf(Object.values(preview?.head.outlines ?? {}).flat());
  const own = props.piece ? boxOf(preview?.head.outlines[props.piece]) : null;
  const across = axis === "x" ? 1 : 0;
  const box = own ?? whole;
  const middle = box ? (box.low[across] + box.high[across]) / 2 : 0;
  const at = place ?? Number(middle.toFixed(3));
  const ends = whole && sectionEnds(whole, axis, at);
  const { cutter, onMark } = props;
  const { data: section, error } = useReliefSection(props.composition, ends, cutter);
  const names = Object.fromEntries(props.composition.pieces.map((item) => [item.id, item.name]));
  const tallest = Math.max(...(section?.height ?? [0]), 0.1) * 1.08;
  const seen = section && readAt(section, share);
  const [[x0, y0], [x1, y1]] = ends ?? [NOWHERE, NOWHERE];
  const mark = useMemo(
    () =>
      open && section
        ? sectionMark(
            section,
            [
              [x0, y0],
              [x1, y1],
            ],
            share,
          )
        : null,
    [open, section, x0, y0, x1, y1, share],
  );
  useEffect(() => onMark(mark), [mark, onMark]);
  useEffect(() => () => onMark(null), [onMark]);
  return (
    <Folded
      title="Section"
      onOpen={setOpen}
      short={section?.fits === false ? "the cutter does not fit" : `${axis.toUpperCase()} at ${at}`}
    >
      <Segments
        label="Section along"
        value={axis}
        choices={{ x: "along X", y: "along Y" }}
        onChange={(next) => {
          setAxis(next);
          setPlace(null);
        }}
      />
      <NumberField
        label={axis === "x" ? "At Y" : "At X"}
        unit={unit}
        value={at}
        low={-10000}
        high={10000}
        onLive={(value) => value !== null && setPlace(value)}
        onChange={(value) => value !== null && setPlace(value)}
      />
      {section && (
        <Chart
          viewBox={`0 -2 ${WIDE} ${TALL + 4}`}
          role="slider"
          aria-label="Place along the section"
          aria-valuenow={Math.round(100 * share)}
          aria-valuetext={
            seen
              ? `${lengthText(seen.along, unit, "measured")} along, ${lengthText(seen.height, unit, "measured")} high`
              : ""
          }
          tabIndex={0}
          onKeyDown={(event) => {
            const by = event.key === "ArrowRight" ? 0.01 : event.key === "ArrowLeft" ? -0.01 : 0;
            if (by) setShare((old) => Math.max(0, Math.min(1, old + by)));
          }}
          onPointerMove={(event) => {
            const frame = event.currentTarget.getBoundingClientRect();
            setShare(Math.max(0, Math.min(1, (event.clientX - frame.left) / frame.width)));
          }}
        >
          {section.made && (
            <polyline
              points={`0,${TALL} ${sectionLine(section.along, section.made, WIDE, TALL, tallest)} ${WIDE},${TALL}`}
              fill="#6B4C9A"
              fillOpacity="0.35"
            />
          )}
          <polygon
            points={`0,${TALL} ${sectionLine(section.along, section.height, WIDE, TALL, tallest)} ${WIDE},${TALL}`}
            fill={theme.fit}
            stroke={theme.ink}
            strokeWidth="1"
          />
          <line x1={share * WIDE} x2={share * WIDE} y1="-2" y2={TALL + 2} stroke={theme.action} />
        </Chart>
      )}
      {seen && (
        <Note>
          {lengthText(seen.along, unit, "measured")} {unit} along: {lengthText(seen.height, unit, "measured")} {unit}{" "}
          high
          {seen.piece ? `, ${names[seen.piece] ?? ""}` : ""}. Heights are drawn {stretch(section, tallest).toFixed(1)}{" "}
          times as large.
        </Note>
      )}
      {error && <Said role="alert">{error.message}</Said>}
      {cutter && section?.left !== null && section?.left !== undefined && (
        <Note role="status">
          {section.fits
            ? "It reaches everything along this section."
            : `It leaves up to ${lengthText(section.left, unit, "measured")} ${unit}, ${lengthText(section.left_at ?? 0, unit, "measured")} ${unit} along (violet): take a smaller one, or a flatter wall.`}
        </Note>
      )}
    </Folded>
  );
}

/** How much larger heights are drawn than lengths. */
export function stretch(section: { along: number[] }, tallest: number): number {
  return TALL / tallest / (WIDE / (section.along[section.along.length - 1] || 1));
}

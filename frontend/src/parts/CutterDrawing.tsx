/** A cutter drawn to shape: shank, flutes and end. */
import { useTheme } from "styled-components";
import type { Cutter } from "../api/types";

export function cutterOutline(cutter: Cutter): string {
  const r = cutter.diameter / 2, s = cutter.shank_diameter / 2;
  const shoulder = cutter.flute_length, top = Math.min(cutter.overall_length, cutter.flute_length + 2.5 * cutter.diameter + 6);
  const end = cutter.shape === "ball" ? `L ${r} ${-r} A ${r} ${r} 0 0 1 ${-r} ${-r}` : `L ${r} 0 L ${-r} 0`;
  return `M ${s} ${-top} L ${s} ${-shoulder} L ${r} ${-shoulder} ${end} L ${-r} ${-shoulder} L ${-s} ${-shoulder} L ${-s} ${-top} Z`;
}

export function CutterDrawing(props: { cutter: Cutter; height: number }) {
  const theme = useTheme();
  const { cutter } = props;
  const top = Math.min(cutter.overall_length, cutter.flute_length + 2.5 * cutter.diameter + 6);
  const half = Math.max(cutter.diameter, cutter.shank_diameter) / 2 + top * 0.03;
  const width = Math.max((2 * half * props.height) / (top * 1.06), 6);
  return (
    <svg width={width} height={props.height} viewBox={`${-half} ${-top * 1.03} ${2 * half} ${top * 1.06}`} aria-hidden>
      <path d={cutterOutline(cutter)} fill={theme.fit} fillOpacity={0.35} stroke={theme.ink} strokeWidth={top * 0.035} strokeLinejoin="round" />
      <line x1={-cutter.diameter / 2} x2={cutter.diameter / 2} y1={-cutter.flute_length} y2={-cutter.flute_length} stroke={theme.ink} strokeWidth={top * 0.025} />
    </svg>
  );
}

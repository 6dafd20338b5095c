/** A cutter drawn to scale from its section: flutes, shank, and the holder where it has one. */
import { useTheme } from "styled-components";

/** Half of a cutter's section: (radius, height over the tip) in millimetres, from the tip up. */
export type Section = [number, number][];

/** The section with its mirror image as an SVG path, the tip at the origin, up to the height `top`. */
export function sectionPath(section: Section, top: number): string {
  const shown = section.filter(([, z]) => z <= top);
  const cut = section.find(([, z]) => z > top);
  if (cut) shown.push([shown.at(-1)?.[0] ?? 0, top]);
  const right = shown.map(([r, z]) => `${r} ${-z}`),
    left = [...shown].reverse().map(([r, z]) => `${-r} ${-z}`);
  return `M ${[...right, ...left].join(" L ")} Z`;
}

/** How much of a cutter a small drawing shows: the flutes and a little of the shank, nothing of the holder. */
export function shownHeight(section: Section, flutes: number, diameter: number): number {
  const shank = section.find(([, z]) => z > flutes + 1e-6)?.[1];
  return Math.min((shank ?? section.at(-1)?.[1] ?? 1) - 1e-6, flutes + 2.5 * diameter + 6);
}

export function CutterDrawing(props: {
  section: Section;
  flutes: number;
  diameter: number;
  height: number;
  whole?: boolean;
}) {
  const theme = useTheme();
  const { section, flutes, diameter } = props;
  if (section.length < 2) return <svg width={6} height={props.height} aria-hidden />;
  const top = props.whole ? (section.at(-1)?.[1] ?? 1) : shownHeight(section, flutes, diameter);
  const half = Math.max(...section.filter(([, z]) => z <= top).map(([r]) => r)) + top * 0.03;
  const width = Math.max((2 * half * props.height) / (top * 1.06), 6);
  return (
    <svg width={width} height={props.height} viewBox={`${-half} ${-top * 1.03} ${2 * half} ${top * 1.06}`} aria-hidden>
      <path
        d={sectionPath(section, top)}
        fill={theme.fit}
        fillOpacity={0.35}
        stroke={theme.ink}
        strokeWidth={top * (props.whole ? 0.008 : 0.035)}
        strokeLinejoin="round"
      />
      <line
        x1={-diameter / 2}
        x2={diameter / 2}
        y1={-flutes}
        y2={-flutes}
        stroke={theme.ink}
        strokeWidth={top * (props.whole ? 0.006 : 0.025)}
      />
    </svg>
  );
}

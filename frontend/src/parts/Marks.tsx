/** Marks of findings: shape as well as colour. */
import { useTheme } from "styled-components";
import type { Finding } from "../api/types";

const SHAPES = {
  stop: "M3.5 0.5 L8.5 0.5 L11.5 3.5 L11.5 8.5 L8.5 11.5 L3.5 11.5 L0.5 8.5 L0.5 3.5 Z",
  caution: "M6 0.5 L11.8 11 L0.2 11 Z",
  note: "M6 0.5 A5.5 5.5 0 1 1 5.99 0.5 Z",
};

export function Mark(props: { level: Finding["level"]; size?: number }) {
  const theme = useTheme();
  const size = props.size ?? 11;
  return (
    <svg width={size} height={size} viewBox="0 0 12 12" role="img" aria-label={props.level} style={{ flex: "none" }}>
      <path d={SHAPES[props.level]} fill={theme[props.level]} />
    </svg>
  );
}

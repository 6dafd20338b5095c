/** Nine points of a rectangle seen from above: corners, middles of the edges, centre. */
import { Radio, RadioGroup } from "react-aria-components";
import styled from "styled-components";

export type Side = "low" | "centre" | "high";

const Grid = styled(RadioGroup)`
  display: grid;
  grid-template-columns: repeat(3, 34px);
  grid-template-rows: repeat(3, 24px);
  justify-content: center;
  align-content: center;
  outline: none;
  border: 1px solid ${(p) => p.theme.ink};
  width: 104px;
  height: 74px;
  background: ${(p) => p.theme.panel};
`;
const Dot = styled(Radio)`
  display: grid;
  place-items: center;
  cursor: pointer;
  outline: none;
  &::before {
    content: "";
    width: 9px;
    height: 9px;
    border-radius: 50%;
    border: 1.5px solid ${(p) => p.theme.muted};
    background: ${(p) => p.theme.panel};
  }
  &[data-hovered]::before {
    border-color: ${(p) => p.theme.action};
  }
  &[data-selected]::before {
    background: ${(p) => p.theme.stop};
    border-color: ${(p) => p.theme.stop};
    width: 13px;
    height: 13px;
  }
  &[data-focus-visible]::before {
    outline: 2px solid ${(p) => p.theme.action};
    outline-offset: 2px;
  }
`;

const WORDS = { x: { low: "left", centre: "", high: "right" }, y: { low: "front", centre: "", high: "back" } };

/** What a point is called: `front left`, `back`, `centre`. */
export const pointName = (x: Side, y: Side): string => [WORDS.y[y], WORDS.x[x]].filter(Boolean).join(" ") || "centre";

export function PointGrid(props: {
  label: string;
  x: Side | null;
  y: Side | null;
  onChange: (x: Side, y: Side) => void;
}) {
  const { x, y } = props;
  return (
    <Grid
      aria-label={props.label}
      value={x && y ? `${x} ${y}` : ""}
      onChange={(value) => {
        const [a, b] = value.split(" ") as [Side, Side];
        props.onChange(a, b);
      }}
    >
      {(["high", "centre", "low"] as const).flatMap((b) =>
        (["low", "centre", "high"] as const).map((a) => (
          <Dot key={`${a} ${b}`} value={`${a} ${b}`} aria-label={pointName(a, b)} />
        )),
      )}
    </Grid>
  );
}

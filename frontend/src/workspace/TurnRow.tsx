/** The row between two setups: what hands do there. */
import type { ReactNode } from "react";
import styled from "styled-components";
import type { Finding, SetupInfo } from "../api/types";
import { Findings, Line, Pick } from "./rows";
import { useSheetState } from "./state";

const Turn = styled(Line)`
  background: ${(p) => (p.$chosen ? p.theme.chosen : p.theme.ground)};
`;

/** A small drawing of what hands do. */
function Drawing(props: { label: string; size: number; children: ReactNode }) {
  return (
    <svg
      width={props.size}
      height={props.size}
      style={{ flex: "none" }}
      viewBox="0 0 22 22"
      role="img"
      aria-label={props.label}
    >
      {props.children}
    </svg>
  );
}

/** The stock on edge, and an arrow in the sense in which it is turned. */
export function TurnDrawing(props: { axis: string | null; angle: number; size?: number }) {
  const size = props.size ?? 22;
  const quarter = Math.abs(props.angle) <= 90;
  // About X one looks along X, at the left end: Y away is to the left there.
  const sense = props.angle < 0 ? 1 : -1;
  const arc = quarter ? `M 4 9 A 8 8 0 0 1 11 3` : `M 3 11 A 8 8 0 0 1 19 11`;
  return (
    <Drawing label="How the stock is turned" size={size}>
      <g
        stroke="currentColor"
        fill="none"
        strokeWidth="1.2"
        transform={sense > 0 ? "matrix(-1 0 0 1 22 0)" : undefined}
      >
        {props.axis === "z" ? <rect x="6" y="8" width="10" height="8" /> : <rect x="4" y="13" width="14" height="4" />}
        <path d={arc} />
        <path d={quarter ? "M 8 1.6 L 11.4 3 L 9.4 6" : "M 16.6 8 L 19 11.2 L 21.4 8"} />
      </g>
    </Drawing>
  );
}

/** The board along the fence, and an arrow the way that it is slid: against the way that the tiles go. */
export function SlideDrawing(props: { by: [number, number] | number[]; size?: number }) {
  const size = props.size ?? 22;
  const [x = 0, y = 0] = props.by;
  const angle = Math.abs(x) >= Math.abs(y) ? (x >= 0 ? 180 : 0) : y >= 0 ? 90 : -90;
  return (
    <Drawing label="Which way the board is slid" size={size}>
      <g stroke="currentColor" fill="none" strokeWidth="1.2">
        <path d="M 1 17.5 H 21" strokeWidth="2" />
        <rect x="3" y="11" width="16" height="5" />
        <path d="M 5 6 H 16 M 13 3.2 L 16.4 6 L 13 8.8" transform={`rotate(${angle} 11 6)`} />
      </g>
    </Drawing>
  );
}

export function TurnRow(props: { info: SetupInfo; first: boolean; findings: Finding[] }) {
  const { chosen, choose, plan } = useSheetState();
  const { turn } = props.info;
  if (!turn) return null;
  const mine = chosen.kind === "turn" && chosen.id === props.info.id;
  return (
    <Turn $chosen={mine} data-testid={`turn-${props.info.id}`}>
      <span className="number">{turn.slide ? "⇤" : "↻"}</span>
      {turn.slide ? (
        <SlideDrawing by={props.info.tile?.slid ?? [0, 0]} />
      ) : (
        <TurnDrawing axis={turn.axis} angle={turn.angle} />
      )}
      <Pick onPress={() => choose({ kind: "turn", id: props.info.id })}>
        {turn.words[0]?.toUpperCase()}
        {turn.words.slice(1)}
      </Pick>
      {(plan.faces || turn.slide) && <span className="key wide">{turn.found}</span>}
      {!turn.slide && <span className="key wide">check {turn.check}</span>}
      {props.first && <Findings row="faces" list={props.findings} />}
    </Turn>
  );
}

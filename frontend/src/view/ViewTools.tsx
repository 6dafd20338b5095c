/** The controls along the top of the view: mode, direction, measure, which block is shown, section. */
import type { ReactNode } from "react";
import { lengthText } from "../lib/numbers";
import { fromZero, type Point } from "../lib/ray";
import { Quiet, Segments, ToggleQuiet } from "../parts/controls";
import { scene } from "../theme";
import { useSheetState, type Mode } from "../workspace/state";
import type { Direction } from "./Camera";
import { Break, Card, Group, TopTools } from "./cards";
import { measured } from "./Measure";
import styled from "styled-components";

const MODES: Record<Mode, string> = { place: "Place", paths: "Paths", proof: "Proof", compare: "Compare" };
const DIRECTIONS: Record<Direction, string> = { top: "Top", front: "Front", right: "Right", corner: "Corner" };

export function ViewTools(props: {
  mode: Mode;
  onMode: (mode: Mode) => void;
  direction: Direction;
  onDirection: (direction: Direction) => void;
  onFit: () => void;
  points: Point[];
  zero: Point;
  all: boolean;
  onAll: (all: boolean) => void;
  onExternalOff: () => void;
  section: ReactNode;
  bar: boolean;
  unrolled: boolean;
  onUnrolled: (unrolled: boolean) => void;
}) {
  const { plan, derived, tool, setTool, external } = useSheetState();
  const { mode } = props;
  return (
    <TopTools>
      <Group>
        <Segments label="Mode" value={mode} choices={MODES} onChange={props.onMode} />
      </Group>
      <Group $right>
        <Segments label="Direction" value={props.direction} choices={DIRECTIONS} onChange={props.onDirection} />
        <Quiet onPress={props.onFit}>Fit</Quiet>
        <ToggleQuiet isSelected={tool === "measure"} onChange={(on) => setTool(on ? "measure" : "none")}>
          Measure
        </ToggleQuiet>
      </Group>
      <Break />
      {external && (
        <Group>
          <Card role="status" data-testid="external">
            {external.name} is shown, not this job <Quiet onPress={props.onExternalOff}>Back to the job</Quiet>
          </Card>
        </Group>
      )}
      {tool === "measure" && (
        <Group $right>
          <Card role="status" data-testid="measured">
            {measured(
              props.points.map((point) => fromZero(point, props.zero)),
              plan.units ?? "mm",
            ).map((line) => (
              <div key={line}>{line}</div>
            ))}
          </Card>
        </Group>
      )}
      <Break />
      {(mode === "proof" || mode === "compare") && derived.whole && !external && (
        <Group>
          <Segments
            label="After"
            value={props.all ? "all" : "this"}
            choices={{ this: "After this setup", all: "After all setups" }}
            onChange={(value) => props.onAll(value === "all")}
          />
        </Group>
      )}
      {props.bar && mode !== "place" && (
        <Group>
          <Segments
            label="Bar"
            value={props.unrolled ? "unrolled" : "round"}
            choices={{ round: "Round", unrolled: "Unrolled" }}
            onChange={(value) => props.onUnrolled(value === "unrolled")}
          />
        </Group>
      )}
      {mode !== "place" && <Group $right>{props.section}</Group>}
    </TopTools>
  );
}

const Ramp = styled.div<{ $colours: string }>`
  width: 170px;
  height: 8px;
  background: ${(p) => p.$colours};
`;
const Between = styled.div`
  display: flex;
  justify-content: space-between;
  margin-top: 3px;
`;
const Stroke = styled.i<{ $line: string }>`
  display: inline-block;
  width: 22px;
  vertical-align: middle;
  border-top: 2px ${(p) => p.$line};
`;

export function PathLegend(props: { high: number; low: number }) {
  const { plan } = useSheetState();
  const unit = plan.units ?? "mm";
  return (
    <Card>
      <Ramp $colours={`linear-gradient(90deg, ${scene.shallow}, ${scene.deep})`} />
      <Between>
        <span>{lengthText(props.high, unit, "measured")}</span>
        <span>depth</span>
        <span>{lengthText(props.low, unit, "measured")}</span>
      </Between>
      <div style={{ marginTop: 4 }}>
        <Stroke $line={`dotted ${scene.rapid}`} /> positioning <Stroke $line={`solid ${scene.entry}`} /> entry
      </div>
    </Card>
  );
}

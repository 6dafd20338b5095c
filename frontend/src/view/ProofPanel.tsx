/** What is done with the proof: looked at as another material, without its waste, closely; saved as a picture or a mesh. */
import { useState } from "react";
import styled from "styled-components";
import { exportBlock, exportWhole, type MeshSuffix } from "../api/results";
import type { Piece3D } from "../api/types";
import { clock, lengthText } from "../lib/numbers";
import { NumberField } from "../parts/fields";
import { Button, Choose, Quiet, Said, ToggleQuiet } from "../parts/controls";
import { looks } from "../theme";
import { infoOf, useSheetState } from "../workspace/state";
import { Card } from "./cards";
import type { CloseLook } from "./closeLook";

const Panel = styled(Card)`
  width: 596px;
  font-family: ${(p) => p.theme.text};
  font-size: 12px;
  display: grid;
  gap: 4px;
  & .row {
    display: flex;
    gap: 6px;
    align-items: center;
  }
  & .row > span {
    color: ${(p) => p.theme.muted};
  }
  & .gap {
    flex: 1;
  }
  & .row > button {
    padding: 3px 8px;
  }
`;

export const LOOKS = {
  stock: "as the stock",
  ...Object.fromEntries(Object.entries(looks).map(([key, look]) => [key, look.title])),
};

/** When a piece came free, in seconds from the start; null for one that did not. */
export function freedAt(piece: Piece3D, operations: { number: number; seconds: number }[]): number | null {
  if (piece.freed_by === null) return null;
  let before = 0;
  for (const item of operations) {
    if (item.number === piece.freed_by) return before + (piece.freed ?? 1) * item.seconds;
    before += item.seconds;
  }
  return null;
}

export function ProofPanel(props: {
  look: string;
  onLook: (look: string) => void;
  alone: boolean;
  onAlone: (on: boolean) => void;
  canStand: boolean;
  closeLook: CloseLook;
  middle: [number, number];
  onPicture: () => void;
  times: { number: number; seconds: number }[];
  /** Whether the block after all setups is shown: then that one is saved. */
  whole: boolean;
}) {
  const { job, derived, plan, tool, setTool, goTo, setupId } = useSheetState();
  const [said, setSaid] = useState("");
  const info = infoOf(derived, setupId);
  const unit = plan.units ?? "mm";
  const { closeLook: look, middle } = props;
  const free = (info?.summary?.pieces ?? []).filter((piece) => piece.freed_by !== null);
  const write = (suffix: MeshSuffix) => {
    if (!info) return;
    setSaid(`writing ${suffix}…`);
    (props.whole ? exportWhole(job.id, suffix) : exportBlock(job.id, info.id, suffix, props.alone))
      .then((address) => {
        setSaid("");
        window.location.assign(address);
      })
      .catch((reason: Error) => setSaid(reason.message));
  };
  return (
    <Panel data-testid="proof-panel">
      <div className="row">
        <span>look</span>
        <div style={{ width: 128 }}>
          <Choose wide label="Look" value={props.look} choices={LOOKS} onChange={props.onLook} />
        </div>
        <ToggleQuiet isSelected={props.alone} isDisabled={!props.canStand} onChange={props.onAlone}>
          Hide waste
        </ToggleQuiet>
        {!info?.bar && (
          <ToggleQuiet
            isSelected={tool === "window"}
            isDisabled={!info?.summary}
            onChange={(on) => setTool(on ? "window" : "none")}
          >
            Close look
          </ToggleQuiet>
        )}
        <span className="gap" />
        <span>save</span>
        <Button onPress={props.onPicture}>Picture</Button>
        <Button isDisabled={!info?.summary} onPress={() => write(".stl")}>
          STL
        </Button>
        <Button isDisabled={!info?.summary} onPress={() => write(".glb")}>
          GLB
        </Button>
      </div>
      {(tool === "window" || look.lens) && (
        <div className="row">
          <span>window of</span>
          <Quiet aria-label="Smaller window" onPress={() => look.resize(Math.max(look.side / 2, 5))}>
            −
          </Quiet>
          <span>
            {lengthText(look.side, unit, "measured")} {unit}
          </span>
          <Quiet aria-label="Larger window" onPress={() => look.resize(Math.min(look.side * 2, 40))}>
            +
          </Quiet>
          {([0, 1] as const).map((k) => (
            <div key={k} style={{ width: 132 }}>
              <NumberField
                tight
                label={"XY"[k] as string}
                value={look.at?.[k] ?? middle[k]}
                unit={unit}
                low={-10_000}
                high={10_000}
                step={1}
                onChange={(value) => {
                  const [x, y] = look.at ?? middle;
                  if (value !== null) look.place(k === 0 ? [value, y] : [x, value]);
                }}
              />
            </div>
          ))}
          <span role="status">{look.said}</span>
          <span className="gap" />
          {look.lens && (
            <Quiet aria-label="Close the window" onPress={look.close}>
              close it
            </Quiet>
          )}
        </div>
      )}
      {said && (
        <Said role="status" $level="muted">
          {said}
        </Said>
      )}
      {free.map((piece, k) => {
        const when = freedAt(piece, props.times);
        return (
          <div className="row" key={k}>
            <span>
              {piece.kind === "part" ? "the part" : `a piece of ${(piece.volume / 1000).toFixed(1)} cm³`} comes free
              {when !== null && ` at ${clock(when)}`}
            </span>
            <Quiet aria-label={`Show the piece ${k + 1}`} onPress={() => goTo(piece.place, when)}>
              Show
            </Quiet>
          </div>
        );
      })}
    </Panel>
  );
}

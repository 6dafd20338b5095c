/** The row of a tile on the route sheet, after that of the slide to it. */
import type { SetupInfo } from "../api/types";
import { clock } from "../lib/numbers";
import { Line, Pick } from "./rows";
import { useSheetState } from "./state";
import { partState, partTitle } from "./tiles";
import { TurnRow } from "./TurnRow";

/** One tile: where it lies, its zero, its time; before it the slide to it. */
export function TileRow(props: { info: SetupInfo }) {
  const { chosen, choose, setupId } = useSheetState();
  const { info } = props;
  const mine = chosen.kind === "setup" && chosen.id === info.id;
  return (
    <>
      {info.turn?.slide && <TurnRow info={info} first={false} findings={[]} />}
      <Line $chosen={mine || setupId === info.id} data-testid={`tile-${info.id}`}>
        <span className="number">{info.tile?.number}</span>
        <span />
        <Pick onPress={() => choose({ kind: "setup", id: info.id })}>{partTitle(info)}</Pick>
        <div className="right">{clock(info.time.total)}</div>
        <span className="key" style={{ gridColumn: 3 }}>
          {info.tile?.words}
        </span>
        <span className="state right" data-state={partState(info)}>
          {partState(info)}
        </span>
        <span className="key wide">zero {info.zero}</span>
      </Line>
    </>
  );
}

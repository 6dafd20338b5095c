/** The work zero: with a handle on a face; a mark alone on a bar, and in a tile together with its seams. */
import type { SetupInfo } from "../api/types";
import type { Point } from "../lib/ray";
import { useSheetState } from "../workspace/state";
import { ZeroMark } from "./Pieces";
import { ZeroHandle } from "./PlaceHandles";
import { SeamLines } from "./SeamLines";

export function ZeroPieces(props: {
  info: SetupInfo | null | undefined;
  low: number[];
  high: number[];
  zero: Point;
  grip: number;
}) {
  const { plan } = useSheetState();
  const { info, zero, grip } = props;
  const size = Math.max(plan.stock.length, plan.stock.width) * 0.11;
  if (info?.bar)
    return (
      <group position={zero}>
        <ZeroMark size={size} />
      </group>
    );
  if (info?.tile)
    return (
      <>
        <group position={zero}>
          <ZeroMark size={Math.min(plan.stock.length, plan.stock.width) * 0.2} />
        </group>
        <SeamLines info={info} grip={grip * 0.5} />
      </>
    );
  return (
    <ZeroHandle low={props.low} high={props.high} zero={zero} size={grip}>
      {(hot) => <ZeroMark size={size} hot={hot} />}
    </ZeroHandle>
  );
}

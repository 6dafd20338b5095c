/** The run strip before anything is calculated: operations as long as they are estimated to take. */
import { clock } from "../lib/numbers";
import { infoOf, progressText, setupOf, standText, useSheetState } from "./state";
import { Blocks, EstimatedBand, Strip, TimeScale } from "./stripParts";

export function EstimatedStrip() {
  const { plan, derived, setupId, busy, progress } = useSheetState();
  const off = new Set(
    setupOf(plan, setupId)
      .operations?.filter((item) => item.on === false)
      .map((item) => item.number),
  );
  const list = (infoOf(derived, setupId)?.operations ?? [])
    .filter((item) => !off.has(item.number))
    .map((item) => ({ number: item.number, seconds: item.seconds ?? item.estimate?.seconds ?? 0 }))
    .filter((item) => item.seconds > 0);
  const total = list.reduce((sum, item) => sum + item.seconds, 0);
  if (!total) {
    return (
      <Strip aria-label="Run strip">
        <div className="now">
          <span className="code">no machining time yet</span>
        </div>
        <div className="now code">Add an operation: its time is laid out here.</div>
      </Strip>
    );
  }
  return (
    <Strip aria-label="Run strip">
      <div className="now">
        <div className="clock">≈ {clock(total)}</div>
        <div className="code">estimated, without tool changes</div>
        <div className="code">
          {busy
            ? progressText(progress, plan, derived)
            : standText(plan, derived) || "Calculate to drag through the moves"}
        </div>
      </div>
      <div>
        <EstimatedBand>
          <Blocks list={list} total={total} />
        </EstimatedBand>
        <TimeScale total={total} />
      </div>
    </Strip>
  );
}

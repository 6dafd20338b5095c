/** The tabs of a cut-out one by one: where each stands on its outline, moved by numbers and arrow keys, added and taken out. */
import { useMemo } from "react";
import { useBlockDetail } from "../../api/results";
import type { Operation, OperationInfo, TabPlaces } from "../../api/types";
import { lengthOf, rimsOf, sharesAfter } from "../../lib/rims";
import { Quiet } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { infoOf, useSheetState, withOperation } from "../state";
import { Buttons, Folded, Note } from "./shared";

/** The outer outlines of an operation's boundary, once a worker has drawn them. */
export function useRims(boundary: string | undefined) {
  const { derived, setupId } = useSheetState();
  const drawn = boundary === undefined ? null : infoOf(derived, setupId)?.outlines[boundary];
  const key = drawn && !drawn.refused ? drawn.key : undefined;
  const { data: points } = useBlockDetail<Float64Array>(key, "rims");
  const { data: ends } = useBlockDetail<BigInt64Array>(key, "rim_ends");
  return useMemo(() => (points && ends ? rimsOf(points.data, ends.data) : null), [points, ends]);
}

/** The tabs of an operation, placed automatically or one by one. */
export const tabsOf = (info: OperationInfo): TabPlaces => info.tabs.map((tab) => [tab.outline, tab.share]);

export function TabList(props: { operation: Operation; info: OperationInfo }) {
  const { plan, live, keep } = useSheetState();
  const { operation, info } = props;
  const rims = useRims(operation.boundary?.boundary);
  const unit = plan.units ?? "mm";
  const tabs = tabsOf(info);
  const changed = (tab_places: TabPlaces) =>
    withOperation(plan, operation.number, { settings: { ...operation.settings, tab_places } });
  const own = ((operation.settings.tab_places as TabPlaces | undefined)?.length ?? 0) > 0;
  return (
    <Folded title="Tabs one by one" short={tabs.length ? `${tabs.length} ${own ? "as set" : "placed"}` : "none"}>
      {!rims && <Note>The outline is being drawn.</Note>}
      {rims &&
        tabs.map(([outline, share], k) => {
          const length = lengthOf(rims[outline] ?? []);
          const moved = (mm: number): TabPlaces =>
            tabs.map((tab, n) => (n === k ? [outline, (((mm / length) % 1) + 1) % 1] : tab));
          return (
            <Buttons key={k} data-testid="tab">
              <span style={{ flex: 1 }}>
                <NumberField
                  label={`Tab ${k + 1}${rims.length > 1 ? `, outline ${outline + 1}` : ""}`}
                  unit={unit}
                  value={share * length}
                  low={-length}
                  high={2 * length}
                  step={1}
                  help="along the outline from its rightmost point"
                  onLive={(mm) => mm !== null && live(changed(moved(mm)))}
                  onChange={(mm) => mm !== null && keep(changed(moved(mm)), "move a tab")}
                />
              </span>
              <Quiet
                aria-label={`Take out tab ${k + 1}`}
                onPress={() =>
                  keep(
                    tabs.length > 1
                      ? changed(tabs.filter((_, n) => n !== k))
                      : withOperation(plan, operation.number, {
                          settings: { ...operation.settings, tab_places: [], tabs: 0 },
                        }),
                    "take a tab out",
                  )
                }
              >
                ×
              </Quiet>
            </Buttons>
          );
        })}
      <Buttons>
        <Quiet isDisabled={!rims} onPress={() => rims && keep(changed(sharesAfter(tabs, rims)), "add a tab")}>
          + Add a tab
        </Quiet>
        <Quiet isDisabled={!own} onPress={() => keep(changed([]), "place tabs automatically")}>
          Place automatically
        </Quiet>
      </Buttons>
      <Note>Counted along the outline from its rightmost point. The view shows their numbers; drag them there.</Note>
    </Folded>
  );
}

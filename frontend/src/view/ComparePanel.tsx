/** The comparison in numbers: limits to choose, a histogram, the worst places, what each operation brought. */
import { useMemo, useState } from "react";
import styled, { useTheme } from "styled-components";
import type { Summary, Worst } from "../api/types";
import { histogramOf, sharesOf } from "../lib/deviation";
import { lengthText } from "../lib/numbers";
import { Quiet, Segments, ToggleQuiet } from "../parts/controls";
import { NumberField } from "../parts/fields";
import { scene } from "../theme";
import { infoOf, useSheetState } from "../workspace/state";
import { Card, Swatch } from "./cards";

const Panel = styled(Card)`
  width: 596px;
  display: grid;
  grid-template-columns: 250px 1fr;
  gap: 4px 18px;
  align-items: start;
  & > div {
    display: grid;
    gap: 3px;
  }
  & .line {
    display: grid;
    grid-template-columns: 1fr auto;
    gap: 8px;
  }
  & .list {
    height: 92px;
    overflow-y: auto;
    display: grid;
    gap: 1px;
    align-content: start;
  }
  & .limits {
    display: flex;
    gap: 12px;
    font-family: ${(p) => p.theme.text};
  }
  & table {
    width: 100%;
    border-collapse: collapse;
  }
  & td,
  & th {
    text-align: right;
    font-weight: 400;
    padding: 0 0 0 8px;
  }
  & th {
    color: ${(p) => p.theme.muted};
  }
  & td:first-child,
  & th:first-child {
    text-align: left;
    padding-left: 0;
  }
  & .gains {
    height: 92px;
    overflow-y: auto;
  }
`;
const BINS = 41;

/** Columns by deviation, drawn with the colours of the map. */
function Histogram(props: { deviation: Float32Array; limit: number; most: number }) {
  const theme = useTheme();
  const counts = useMemo(() => histogramOf(props.deviation, props.most, BINS), [props.deviation, props.most]);
  // By roots, so that the few columns far off can be seen beside the many that are true.
  const highest = Math.sqrt(Math.max(...counts, 1));
  const tone = (bin: number) => {
    const d = ((bin + 0.5) / BINS) * 2 * props.most - props.most;
    return Math.abs(d) <= props.limit ? theme.muted : d < 0 ? scene.gouge : scene.leftover;
  };
  return (
    <svg width="248" height="46" role="img" aria-label="Histogram of what is gouged and left">
      {[...counts].map((count, bin) => {
        const h = (38 * Math.sqrt(count)) / highest;
        return <rect key={bin} x={bin * 6} y={40 - h} width="5" height={Math.max(h, count ? 1 : 0)} fill={tone(bin)} />;
      })}
      <path d="M0 40.5H248" stroke={theme.ink} strokeWidth="1" />
    </svg>
  );
}

function WorstList(props: { worst: Worst[] }) {
  const { plan, derived, setupId, goTo } = useSheetState();
  const zero = infoOf(derived, setupId)?.zero_at ?? [0, 0, 0];
  const unit = plan.units ?? "mm";
  if (!props.worst.length) return <span>nothing is beyond the limit</span>;
  return (
    <div className="list">
      {props.worst.map((item, k) => (
        <div className="line" key={k}>
          <span>
            <Swatch $tone={item.deviation < 0 ? scene.gouge : item.reachable ? scene.leftover : scene.corner} />
            {lengthText(item.deviation, unit, "fine")} at X{lengthText(item.place[0] - zero[0], unit, "measured")} Y
            {lengthText(item.place[1] - zero[1], unit, "measured")}
          </span>
          <Quiet
            style={{ padding: "0 5px" }}
            aria-label={`Fly to the place ${k + 1}`}
            onPress={() => goTo(item.place, null)}
          >
            Show
          </Quiet>
        </div>
      ))}
    </div>
  );
}

function Gains(props: { summary: Summary }) {
  const { plan } = useSheetState();
  const unit = plan.units ?? "mm";
  return (
    <table>
      <thead>
        <tr>
          <th>operation</th>
          <th>taken, cm³</th>
          <th>left</th>
          <th>true</th>
        </tr>
      </thead>
      <tbody>
        {props.summary.gains.map((gain) => (
          <tr key={gain.number}>
            <td>{gain.number}</td>
            <td>{(gain.removed / 1000).toFixed(1)}</td>
            <td>{lengthText(gain.left, unit, "fine")}</td>
            <td>{(100 * gain.within).toFixed(0)} %</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

type Page = "shares" | "worst" | "gains";

export function ComparePanel(props: {
  summary: Summary;
  deviation: Float32Array | undefined;
  reachable: Uint8Array | undefined;
  limit: number;
  most: number;
  onLimit: (value: number) => void;
  onMost: (value: number) => void;
  probed: string[] | null;
  onMoment: (() => void) | null;
}) {
  const { plan, tool, setTool } = useSheetState();
  const unit = plan.units ?? "mm";
  const [page, setPage] = useState<Page>("shares");
  const { deviation, reachable, limit } = props;
  const shares = useMemo(
    () => (deviation && reachable ? sharesOf(deviation, reachable, limit) : null),
    [deviation, reachable, limit],
  );
  const n = props.summary.compare;
  const percent = (value: number | undefined) => `${(100 * (value ?? 0)).toFixed(1)} %`;
  return (
    <Panel data-testid="compare-panel">
      <div>
        {deviation && <Histogram deviation={deviation} limit={limit} most={props.most} />}
        <div className="line">
          <span>−{lengthText(props.most, unit, "measured")}</span>
          <span>
            {lengthText(props.most, unit, "measured")} {unit}
          </span>
        </div>
        <NumberField
          label="True within"
          unit={unit}
          value={limit}
          over={0}
          high={5}
          step={0.005}
          onLive={(value) => value !== null && props.onLimit(value)}
          onChange={(value) => value !== null && props.onLimit(value)}
        />
        <NumberField
          label="Full colour at"
          unit={unit}
          value={props.most}
          over={0}
          high={50}
          step={0.1}
          onLive={(value) => value !== null && props.onMost(value)}
          onChange={(value) => value !== null && props.onMost(value)}
        />
      </div>
      <div>
        <div style={{ display: "flex", justifyContent: "space-between" }}>
          <Segments
            label="Numbers of the comparison"
            value={page}
            choices={{ shares: "Shares", worst: "Worst", gains: "By operation" }}
            onChange={setPage}
          />
          <ToggleQuiet isSelected={tool === "probe"} onChange={(on) => setTool(on ? "probe" : "none")}>
            Probe
          </ToggleQuiet>
        </div>
        {tool === "probe" ? (
          <div role="status" data-testid="probed" style={{ minHeight: 92 }}>
            {(props.probed ?? ["click a point of the block"]).map((line) => (
              <div key={line}>{line}</div>
            ))}
            {props.onMoment && (
              <Quiet style={{ padding: 0 }} onPress={props.onMoment}>
                Go to that moment
              </Quiet>
            )}
          </div>
        ) : page === "shares" ? (
          <div style={{ minHeight: 92 }}>
            <div className="line">
              <span>
                <Swatch $tone={scene.within} />
                within {lengthText(limit, unit, "fine")}
              </span>
              <span>{percent(shares?.within)}</span>
            </div>
            <div className="line">
              <span>
                <Swatch $tone={scene.leftover} />
                left, could be reached
              </span>
              <span>{percent(shares?.reachable)}</span>
            </div>
            <div className="line">
              <span>
                <Swatch $tone={scene.corner} />
                left, no cutter here can
              </span>
              <span>{percent(shares?.unreachable)}</span>
            </div>
            <div className="line">
              <span>
                <Swatch $tone={scene.gouge} />
                gouged
              </span>
              <span>{percent(shares?.gouged)}</span>
            </div>
            <div className="line">
              <span>deepest gouge · most left</span>
              <span>
                {lengthText(Math.abs(n.gouge_max ?? 0), unit, "fine")} ·{" "}
                {lengthText(Math.max(n.leftover_max ?? 0, n.leftover_max_unreachable ?? 0), unit, "measured")}
              </span>
            </div>
          </div>
        ) : page === "worst" ? (
          <WorstList worst={props.summary.worst} />
        ) : (
          <div className="gains">
            <Gains summary={props.summary} />
          </div>
        )}
      </div>
    </Panel>
  );
}

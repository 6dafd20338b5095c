/** The figures over all surfaces of the part, after all setups. */
import { lengthText } from "../lib/numbers";
import { useSheetState } from "../workspace/state";
import { Segments } from "../parts/controls";
import { scene } from "../theme";
import { Card, Swatch } from "./cards";
import { makerColour, type WholePaint } from "./WholePart";
import styled from "styled-components";

const Choices = styled.div`
  display: flex;
`;
const Legend = styled.ul`
  list-style: none;
  margin: 6px 0 4px;
  padding: 0;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  max-width: 420px;
`;

export function WholePanel(props: { shown: WholePaint; onShown: (shown: WholePaint) => void }) {
  const { plan, derived } = useSheetState();
  const { whole } = derived;
  if (!whole) return null;
  const unit = plan.units ?? "mm";
  const n = whole.compare;
  const mm = (value: number | undefined) => `${lengthText(value ?? 0, unit, "fine")} ${unit}`;
  const percent = (value: number | undefined) => `${(100 * (value ?? 0)).toFixed(1)} %`;
  const lines: [string, string][] = [
    ["deepest gouge", mm(n["gouge_max"])],
    ["left, half of the surface below", mm(n["leftover_p50"])],
    ["left, 99 % of the surface below", mm(n["leftover_p99"])],
    [`within ${mm(n["limit"])}`, percent(n["within_tolerance"])],
    ["left, could be reached", percent(n["could_reach"])],
    ["left in corners that no side reaches", percent(n["unreachable"])],
    ["gouged", percent(n["gouged"])],
    ["ridge between the faces", mm(whole.ridge)],
    ["pieces of the block", String(whole.pieces.length)],
  ];
  const legend: [string, string][] =
    props.shown === "setup"
      ? [...whole.makers.map((name, k): [string, string] => [name, makerColour(k)]), ["stock", makerColour(255)]]
      : [
          ["true", scene.within],
          ["left", scene.leftover],
          ["no side reaches", scene.corner],
          ["gouged", scene.gouge],
        ];
  return (
    <Card data-testid="whole-panel">
      <Choices>
        <Segments
          label="Colours of the part"
          value={props.shown}
          choices={{ deviation: "Deviation", setup: "By setup" }}
          onChange={props.onShown}
        />
      </Choices>
      <Legend>
        {legend.map(([what, tone]) => (
          <li key={what}>
            <Swatch $tone={tone} />
            {what}
          </li>
        ))}
      </Legend>
      <table>
        <tbody>
          {lines.map(([what, value]) => (
            <tr key={what}>
              <td style={{ paddingRight: 14 }}>{what}</td>
              <td style={{ textAlign: "right" }}>{value}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </Card>
  );
}

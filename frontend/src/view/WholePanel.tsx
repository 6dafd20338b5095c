/** The figures over all surfaces of the part, after all setups. */
import { lengthText } from "../lib/numbers";
import { useSheetState } from "../workspace/state";
import { Card } from "./cards";

export function WholePanel() {
  const { plan, derived } = useSheetState();
  const { whole } = derived;
  if (!whole) return null;
  const unit = plan.units ?? "mm";
  const n = whole.compare;
  const mm = (value: number | undefined) => `${lengthText(value ?? 0, unit, 3)} ${unit}`;
  const percent = (value: number | undefined) => `${(100 * (value ?? 0)).toFixed(1)} %`;
  const lines: [string, string][] = [
    ["deepest gouge", mm(n["gouge_max"])],
    ["left, half of the surface below", mm(n["leftover_p50"])],
    ["left, 99 % of the surface below", mm(n["leftover_p99"])],
    ["within the limit", percent(n["within_tolerance"])],
    ["in corners that no side reaches", percent(n["unreachable"])],
    ["ridge between the faces", mm(whole.ridge)],
    ["pieces of the block", String(whole.pieces.length)],
  ];
  return (
    <Card data-testid="whole-panel">
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

/** How a model lies about the axis of a bar: along it, centred, and scaled to fit. */
import { useState } from "react";
import type { Model, ModelState } from "../../api/types";
import { lengthText } from "../../lib/numbers";
import { Quiet } from "../../parts/controls";
import { NumberField } from "../../parts/fields";
import { useSheetState } from "../state";
import { Buttons, Head, Note } from "./shared";

const CENTRES = { circle: "smallest circle", box: "box", mass: "centre of mass" } as const;

export function BarPlacement(props: { model: Model; state: ModelState }) {
  const { plan, edit } = useSheetState();
  const [allowance, setAllowance] = useState(0.5);
  const { model, state } = props;
  const unit = plan.units ?? "mm";
  const swept = state.swept;
  if (swept === null || swept === undefined) return null;
  const bar = Math.min(plan.stock.width, plan.stock.thickness);
  return (
    <>
      <Head>
        On the bar
        <span>
          sweeps ⌀ {lengthText(swept, unit, "measured")} of {lengthText(bar, unit, "measured")} {unit}
        </span>
      </Head>
      {swept > bar && <Note role="status">Heights count on both sides of the axis: it sweeps more than the bar.</Note>}
      <Buttons>
        <Quiet onPress={() => edit({ do: "along_bar", model: model.id }, "along the bar")}>
          Longest side along the bar
        </Quiet>
      </Buttons>
      <Note>Centre on the axis by its</Note>
      <Buttons>
        {(["circle", "box", "mass"] as const).map((by) => (
          <Quiet
            key={by}
            aria-label={`Centre by its ${CENTRES[by]}`}
            onPress={() => edit({ do: "centre_on_axis", model: model.id, by }, "centre on the axis")}
          >
            {CENTRES[by]}
          </Quiet>
        ))}
      </Buttons>
      <NumberField
        label="Allowance"
        unit={unit}
        value={allowance}
        low={0}
        high={100}
        help="left all round when the model is scaled to fit the bar"
        onChange={(value) => value !== null && setAllowance(value)}
      />
      <Buttons>
        <Quiet onPress={() => edit({ do: "fit_bar", model: model.id, allowance }, "fit into the bar")}>
          Scale to fit the bar
        </Quiet>
      </Buttons>
    </>
  );
}

/** The settings of the chosen row. */
import { memo } from "react";
import { setupOf, useSheetState } from "../state";
import { BoundarySettings } from "./BoundarySettings";
import { ModelSettings } from "./ModelSettings";
import { OperationSettings } from "./OperationSettings";
import { Panel } from "./shared";
import { SetupSettings } from "./SetupSettings";
import { StockSettings } from "./StockSettings";
import { TurnSettings } from "./FacesSettings";

export const Inspector = memo(function Inspector() {
  const { plan, chosen, setupId } = useSheetState();
  const model = chosen.kind === "model" ? plan.models?.find((item) => item.id === chosen.id) : undefined;
  const operation =
    chosen.kind === "operation"
      ? setupOf(plan, setupId).operations.find((item) => item.number === chosen.number)
      : undefined;
  const boundary = chosen.kind === "boundary" ? plan.boundaries?.find((item) => item.id === chosen.id) : undefined;
  if (boundary)
    return (
      <Panel aria-label="Inspector">
        <BoundarySettings key={boundary.id} boundary={boundary} />
      </Panel>
    );
  return (
    <Panel aria-label="Inspector">
      {model ? (
        <ModelSettings key={model.id} model={model} />
      ) : operation ? (
        <OperationSettings key={operation.number} operation={operation} />
      ) : chosen.kind === "turn" ? (
        <TurnSettings key={chosen.id} id={chosen.id} />
      ) : chosen.kind === "setup" ? (
        <SetupSettings key={chosen.id} />
      ) : (
        <StockSettings />
      )}
    </Panel>
  );
});

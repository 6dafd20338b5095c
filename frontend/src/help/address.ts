/** Where the help has something on what is chosen. */
import type { FullPlan } from "../api/types";
import { helpPageOf } from "../setups/kinds";
import type { Chosen } from "../workspace/state";

/** The address of the help on a finding, by its code. */
export const findingHelp = (code: string): string => `/help/findings#${code}`;

/** The page on parts of as many faces as a plan has setups. */
const facesPage = (plan: Pick<FullPlan, "setups">): string => (plan.setups.length > 2 ? "four-faces" : "two-faces");

/** The address of the help on what is chosen in the sheet. */
export function helpOn(chosen: Chosen, plan: Pick<FullPlan, "setups" | "faces">): string {
  if (chosen.kind === "operation") {
    const found = plan.setups.flatMap((setup) => setup.operations).find((item) => item.number === chosen.number);
    return found ? `/help/strategies#${found.strategy}` : "/help/strategies";
  }
  if (chosen.kind === "model") return chosen.piece ? "/help/reliefs" : "/help/meshes";
  if (chosen.kind === "turn") return `/help/${facesPage(plan)}`;
  if (chosen.kind === "setup") {
    const setup = plan.setups.find((item) => item.id === chosen.id);
    return `/help/${(setup && helpPageOf(setup)) ?? (plan.faces ? facesPage(plan) : "running")}`;
  }
  return "/help/running";
}

/** Show the help in a window of its own, beside the job. */
export const openHelp = (address: string): void => void window.open(address, "nephos-help");

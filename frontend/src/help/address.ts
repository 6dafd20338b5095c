/** Where the help has something on what is chosen. */
import type { FullPlan } from "../api/types";
import type { Chosen } from "../workspace/state";

/** The address of the help on a finding, by its code. */
export const findingHelp = (code: string): string => `/help/findings#${code}`;

const KINDS: Record<string, string> = { rotary: "rotary", tiled: "tiles" };

/** The address of the help on what is chosen in the sheet. */
export function helpOn(chosen: Chosen, plan: Pick<FullPlan, "setups" | "faces">): string {
  if (chosen.kind === "operation") {
    const found = plan.setups.flatMap((setup) => setup.operations).find((item) => item.number === chosen.number);
    return found ? `/help/strategies#${found.strategy}` : "/help/strategies";
  }
  if (chosen.kind === "model") return chosen.piece ? "/help/reliefs" : "/help/meshes";
  if (chosen.kind === "turn") return plan.setups.length > 2 ? "/help/four-faces" : "/help/two-faces";
  if (chosen.kind === "setup") {
    const setup = plan.setups.find((item) => item.id === chosen.id);
    return `/help/${KINDS[setup?.kind ?? ""] ?? (plan.faces ? "two-faces" : "running")}`;
  }
  return "/help/running";
}

/** Show the help in a window of its own, beside the job. */
export const openHelp = (address: string): void => void window.open(address, "nephos-help");

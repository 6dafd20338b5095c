/** The key that opens the help on what is chosen: F1, or ? outside of fields. */
import { useEffect } from "react";
import type { FullPlan } from "../api/types";
import type { Chosen } from "../workspace/state";
import { helpOn, openHelp } from "./address";

export function useHelpKey(plan: Pick<FullPlan, "setups" | "faces"> | undefined, chosen: Chosen): void {
  useEffect(() => {
    const press = (event: KeyboardEvent) => {
      const typing = event.target instanceof HTMLInputElement || event.target instanceof HTMLTextAreaElement;
      if (event.key !== "F1" && (event.key !== "?" || typing)) return;
      event.preventDefault();
      openHelp(plan ? helpOn(chosen, plan) : "/help");
    };
    window.addEventListener("keydown", press);
    return () => window.removeEventListener("keydown", press);
  }, [plan, chosen]);
}

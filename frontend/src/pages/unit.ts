/** The unit of the pages that belong to no job. Jobs have their own. */
import { useSyncExternalStore } from "react";
import type { Unit } from "../lib/numbers";

const heard = new Set<() => void>();
const now = (): Unit => (localStorage.getItem("unit") === "in" ? "in" : "mm");

export function useUnit(): { unit: Unit; setUnit: (unit: Unit) => void } {
  const unit = useSyncExternalStore((tell) => {
    heard.add(tell);
    return () => heard.delete(tell);
  }, now);
  const setUnit = (next: Unit) => {
    localStorage.setItem("unit", next);
    heard.forEach((tell) => tell());
  };
  return { unit, setUnit };
}

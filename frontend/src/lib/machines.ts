/** Machines as the pages show and change them. */
import type { Axis, FullPlan, Machine, MachineListed } from "../api/types";
import { lengthText, type Unit } from "./numbers";

const FRESH_ROTARY: Axis = {
  name: "A",
  kind: "rotary",
  travel: null,
  rapid: 7200,
  feed_limit: 5400,
  acceleration: 1800,
};

/** Travel of the linear axes, as the header shows it. */
export const travelText = (machine: Machine, unit: Unit) =>
  machine.axes
    .filter((axis) => axis.kind === "linear")
    .map((axis) => lengthText(axis.travel ?? 0, unit, "round"))
    .join(" × ");

/** A copy under an id that is free. */
export function copyOf(machine: Machine, taken: string[]): Machine {
  let k = 2;
  while (taken.includes(`${machine.id}-${k}`)) k += 1;
  return { ...machine, id: `${machine.id}-${k}`, name: `${machine.name} ${k}` };
}

/** The machine with an axis A, or without one. */
export function withRotary(machine: Machine, on: boolean): Machine {
  const linear = machine.axes.filter((axis) => axis.kind === "linear");
  return { ...machine, axes: on ? [...linear, FRESH_ROTARY] : linear };
}

/** The id of a plan's machine: one that ships by name, or one of its own. */
export const machineId = (machine: FullPlan["machine"]): string =>
  typeof machine === "string" ? machine : (machine?.id ?? "shed-router");

/** What a plan holds of a machine of the list: its id where it ships, all of it otherwise. */
export const asPlanned = (item: MachineListed): string | Machine => (item.shipped ? item.data.id : item.data);

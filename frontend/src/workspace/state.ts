/** What is chosen and shown in the workspace, and the way to change the plan. */
import { createContext, useContext } from "react";
import type { Boundary, Derived, Edit, Foreign, FullPlan, Job, Operation, OperationInfo, Setup, SetupInfo, Zero } from "../api/types";

export type Chosen = { kind: "stock" } | { kind: "model"; id: string } | { kind: "operation"; number: number } | { kind: "boundary"; id: string };
export type Tool = "none" | "measure" | "lay flat" | "cut off" | "pick loop" | "probe" | "window";
export type Fault = "holes" | "nonmanifold" | "flipped" | "loose";
export type Mode = "place" | "paths" | "proof" | "compare";

export interface Shown { name: string; proof: Foreign }

export interface Sheet {
  job: Job; plan: FullPlan; derived: Derived; chosen: Chosen; choose: (what: Chosen) => void;
  /** Show what a change would give, without keeping it. */
  live: (plan: FullPlan | null) => void;
  /** Keep a change. */
  keep: (plan: FullPlan, note: string) => void;
  /** Show what an edit would give, without keeping it. */
  liveEdit: (edit: Edit | null) => void;
  /** Have the server make an edit, and keep it. */
  edit: (edit: Edit, note: string) => void;
  /** What a click in the view does now, besides turning it. */
  tool: Tool; setTool: (tool: Tool) => void;
  /** Which faults of a mesh are shown in the view. */
  faults: Fault | null; showFaults: (faults: Fault | null) => void;
  /** Look at a place, and at a moment of the program (seconds). */
  goTo: (place: [number, number, number] | null, moment: number | null) => void;
  /** A program from a file that is shown instead of the job's own. */
  foreign: Shown | null; showForeign: (shown: Shown | null) => void;
  busy: boolean; problem: string;
  /** What the calculation does now, and how far that one step is (0 to 1). */
  working: string; step: number;
  /** Whether it is of the job as it is, not of an earlier revision that is being stopped. */
  ofThis: boolean;
  /** Whether what was changed or typed last has no answer yet: the numbers shown are still the ones before. */
  looking: boolean;
}

export const SheetState = createContext<Sheet | null>(null);

export function useSheetState(): Sheet {
  const sheet = useContext(SheetState);
  if (!sheet) throw new Error("no sheet");
  return sheet;
}

export const setupOf = (plan: FullPlan): Setup => plan.setups[0] as Setup;

/** The work zero of the setup, which every plan that the server sends has. */
export const zeroOf = (plan: FullPlan): Zero => setupOf(plan).zero as Zero;
export const infoOf = (derived: Derived): SetupInfo | undefined => derived.setups[0];

/** Boundaries that can be chosen, by id: those that every job has, then its own. */
export function boundaryChoices(plan: FullPlan, without?: string): Record<string, string> {
  const own = (plan.boundaries ?? []).filter((item) => item.id !== without).map((item) => [item.id, item.name]);
  return { box: "box of models", silhouette: "outline of models", stock: "whole stock", ...Object.fromEntries(own) as Record<string, string> };
}

export const withBoundary = (plan: FullPlan, id: string, change: Partial<Boundary>): FullPlan =>
  ({ ...plan, boundaries: (plan.boundaries ?? []).map((item) => (item.id === id ? { ...item, ...change } : item)) });

/** The plan with one boundary more, and its id: the outline of the models, the next free number. */
export function withNewBoundary(plan: FullPlan): { plan: FullPlan; id: string } {
  const number = 1 + Math.max(0, ...(plan.boundaries ?? []).map((item) => Number(/^b(\d+)$/.exec(item.id)?.[1] ?? 0)));
  const fresh = { id: `b${number}`, name: `Boundary ${number}` } as Boundary;
  return { plan: { ...plan, boundaries: [...(plan.boundaries ?? []), fresh] }, id: fresh.id };
}

/** The plan with other settings of its setup. */
export const withSetup = (plan: FullPlan, change: Partial<Setup>): FullPlan =>
  ({ ...plan, setups: plan.setups.map((setup, k) => (k === 0 ? { ...setup, ...change } : setup)) });

/** The plan with other operations in its setup. */
export function withOperations(plan: FullPlan, operations: Operation[]): FullPlan {
  return withSetup(plan, { operations });
}

export function withOperation(plan: FullPlan, number: number, change: Partial<Operation>): FullPlan {
  return withOperations(plan, setupOf(plan).operations.map((item) => (item.number === number ? { ...item, ...change } : item)));
}

/** Operations in their new order, renumbered in tens so that numbers rise down the sheet. */
export function moved(operations: Operation[], number: number, by: -1 | 1): Operation[] {
  const from = operations.findIndex((item) => item.number === number);
  const to = from + by;
  if (from < 0 || to < 0 || to >= operations.length) return operations;
  const order = [...operations];
  order.splice(to, 0, ...order.splice(from, 1));
  return order.map((item, k) => ({ ...item, number: 10 * (k + 1) }));
}

export function copied(operations: Operation[], number: number): Operation[] {
  const item = operations.find((other) => other.number === number);
  if (!item) return operations;
  const last = Math.max(...operations.map((other) => other.number));
  return [...operations, { ...item, number: (Math.floor(last / 10) + 1) * 10 }];
}

/** The state of an operation in words. `order` are the numbers of the operations as they are calculated. */
export function stateText(info: OperationInfo | undefined, sheet: Pick<Sheet, "busy" | "step" | "working" | "ofThis">, order: number[]): string {
  if (!info) return "";
  if (info.state !== "out of date" || !sheet.busy || !sheet.ofThis) return info.state === "blocked" ? `blocked: ${info.reason}` : info.state;
  if (sheet.working === `operation ${info.number}`) return `calculating ${Math.round(sheet.step * 100)} %`;
  const at = order.indexOf(Number(/^operation (\d+)$/.exec(sheet.working)?.[1]));
  const done = AFTER.has(sheet.working) || (at >= 0 && order.indexOf(info.number) < at);
  return done ? "calculated" : "waiting";
}

/** What a calculation does when all operations are done. */
const AFTER = new Set(["comparing", "posting"]);

/** What is chosen and shown in the workspace, and the way to change the plan. */
import { partsOf, partTitle } from "./tiles";
import type { SectionMark } from "../lib/relief";
import { createContext, useContext } from "react";
import type {
  Boundary,
  Calculation,
  Composition,
  Cutter,
  Derived,
  PlanEdit,
  ExternalProgram,
  Finding,
  FullPlan,
  Job,
  Model,
  Operation,
  OperationInfo,
  ReliefPiece,
  Setup,
  SetupInfo,
  Zero,
} from "../api/types";
import { sideOf, tilesOf } from "../setups/kinds";

export type Chosen =
  | { kind: "stock" }
  | { kind: "setup"; id: string }
  | { kind: "turn"; id: string }
  | { kind: "model"; id: string; piece?: string }
  | { kind: "operation"; number: number }
  | { kind: "boundary"; id: string };
export type Tool = "none" | "measure" | "lay flat" | "cut off" | "pick loop" | "draw" | "probe" | "window";
export type Fault = "holes" | "nonmanifold" | "flipped" | "loose";
export type Mode = "place" | "paths" | "proof" | "compare";

export interface Shown {
  name: string;
  proof: ExternalProgram;
}

/** What is looked at in a relief, in the inspector and in the view: a cutter that is judged on it, and a section. */
export interface ReliefLook {
  model: string;
  cutter: Cutter | null;
  section: SectionMark | null;
}

export interface Sheet {
  job: Job;
  plan: FullPlan;
  derived: Derived;
  chosen: Chosen;
  /** The id of the setup that is shown and worked on. */
  setupId: string;
  choose: (what: Chosen) => void;
  /** Show what a change would give, without keeping it; the plan itself `now`, before its answer is there. */
  live: (plan: FullPlan | null, now?: boolean) => void;
  /** Keep a change: the changed plan, or a function from the newest plan to the changed one. */
  keep: (plan: FullPlan | ((plan: FullPlan) => FullPlan), note: string) => void;
  /** Show what an edit would give, without keeping it. */
  liveEdit: (edit: PlanEdit | null) => void;
  /** Have the server make an edit, and keep it; `then` is told the plan after it. */
  edit: (edit: PlanEdit, note: string, then?: (plan: FullPlan) => void) => void;
  /** What a click in the view does now, besides turning it. */
  tool: Tool;
  setTool: (tool: Tool) => void;
  /** Which faults of a mesh are shown in the view. */
  faults: Fault | null;
  reliefLook: ReliefLook | null;
  lookAtRelief: (look: ReliefLook | null) => void;
  showFaults: (faults: Fault | null) => void;
  /** Look at a place, and at a moment of the program (seconds). */
  goTo: (place: [number, number, number] | null, moment: number | null) => void;
  /** A program from a file that is shown instead of the job's own. */
  external: Shown | null;
  showExternal: (shown: Shown | null) => void;
  busy: boolean;
  problem: string;
  /** What the calculation does now; none while it waits, or where none runs. */
  progress: Progress | null;
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

/** A setup of a plan, by its id or that of one of its tiles; the first where there is none. */
export const setupOf = (plan: FullPlan, id: string): Setup =>
  (plan.setups.find((setup) => setup.id === id) ??
    plan.setups.find((setup) => tilesOf(setup) && id.startsWith(`${setup.id}.`)) ??
    plan.setups[0]) as Setup;

/** The work zero of a setup, which every plan that the server sends has. */
export const zeroOf = (plan: FullPlan, id: string): Zero => setupOf(plan, id).zero as Zero;
export const infoOf = (derived: Derived, id: string): SetupInfo | undefined =>
  derived.setups.find((setup) => setup.id === id) ??
  derived.setups.find((setup) => setup.whole === id || id.startsWith(`${setup.whole}.`)) ??
  derived.setups[0];

/** The relief that is chosen, and the piece of it. */
export function chosenRelief(
  plan: FullPlan,
  chosen: Chosen,
): { model: Model; composition: Composition; piece?: ReliefPiece } | null {
  const model = chosen.kind === "model" ? plan.models?.find((item) => item.id === chosen.id) : undefined;
  if (!model?.composition || chosen.kind !== "model") return null;
  const piece = model.composition.pieces.find((item) => item.id === chosen.piece);
  return { model, composition: model.composition, ...(piece ? { piece } : {}) };
}

/** The id that the next model of a job gets. */
export const nextModel = (plan: FullPlan): string =>
  `m${1 + Math.max(0, ...(plan.models ?? []).map((item) => Number(/^m(\d+)$/.exec(item.id)?.[1] ?? 0)))}`;

/** The plan with fields of a piece of a relief changed. */
export const withPiece = (plan: FullPlan, model: string, piece: string, change: Partial<ReliefPiece>): FullPlan => ({
  ...plan,
  models: (plan.models ?? []).map((item) =>
    item.id === model && item.composition
      ? {
          ...item,
          composition: {
            ...item.composition,
            pieces: item.composition.pieces.map((old) => (old.id === piece ? { ...old, ...change } : old)),
          },
        }
      : item,
  ),
});

/** The setups that have something to do. */
export const withWork = (plan: FullPlan): Setup[] =>
  plan.setups.filter((setup) => setup.on !== false && setup.operations.some((item) => item.on));

const unsettled = (finding: Finding) => finding.level === "stop" && !finding.overridden;

/** What keeps a job from being done, in words; empty where nothing does. */
export function standText(plan: FullPlan, derived: Derived): string {
  if (withWork(plan).length === 0) return "no operation is on";
  const blocked = derived.setups.flatMap((info) => info.operations).find((item) => item.state === "blocked");
  if (blocked) return `blocked: ${blocked.reason ?? "look at the findings"}`;
  const stops = [...derived.findings, ...derived.setups.flatMap((info) => info.findings)].filter(unsettled).length;
  if (stops) return `${stops === 1 ? "a stop keeps" : `${stops} stops keep`} the files from being posted`;
  return isCurrent(plan, derived) ? "all is up to date" : "";
}

/** Whether all is calculated: each setup, and the whole part where several setups leave it. */
export function isCurrent(plan: FullPlan, derived: Derived): boolean {
  const todo = withWork(plan);
  const cut = todo.length > 0 && todo.every((setup) => partsOf(derived, setup.id).every((info) => info.programs));
  return cut && (!derived.joined || derived.whole !== null);
}

/** The setup that an operation belongs to. */
export const setupWith = (plan: FullPlan, number: number): Setup | undefined =>
  plan.setups.find((setup) => setup.operations.some((item) => item.number === number));

/** An id as it is where it names a setup or one of its tiles, else that of the first setup. */
function partOf(plan: FullPlan, id: string): string {
  const setup = setupOf(plan, id);
  return tilesOf(setup) && id.startsWith(`${setup.id}.`) ? id : setup.id;
}

/** The setup that is shown when something is chosen: the one of an operation, else the one that was shown. */
export function shownSetup(plan: FullPlan, chosen: Chosen, before: string): string {
  if (chosen.kind === "setup" || chosen.kind === "turn") return partOf(plan, chosen.id);
  const found = chosen.kind === "operation" ? setupWith(plan, chosen.number) : undefined;
  // Another operation of the same setup is looked at in the tile that was shown.
  return found && setupOf(plan, before) !== found ? found.id : partOf(plan, before);
}

/** Boundaries that can be chosen, by id: those that every job has, then its own. */
export function boundaryChoices(plan: FullPlan, without?: string): Record<string, string> {
  const own = (plan.boundaries ?? []).filter((item) => item.id !== without).map((item) => [item.id, item.name]);
  return {
    box: "box of models",
    silhouette: "outline of models",
    stock: "whole stock",
    ...(plan.faces ? { border: "outline and border" } : {}),
    ...(Object.fromEntries(own) as Record<string, string>),
  };
}

export const withBoundary = (plan: FullPlan, id: string, change: Partial<Boundary>): FullPlan => ({
  ...plan,
  boundaries: (plan.boundaries ?? []).map((item) => (item.id === id ? { ...item, ...change } : item)),
});

/** The plan with one boundary more, and its id: the outline of the models, the next free number. */
export function withNewBoundary(plan: FullPlan, setupId: string): { plan: FullPlan; id: string } {
  const number = 1 + Math.max(0, ...(plan.boundaries ?? []).map((item) => Number(/^b(\d+)$/.exec(item.id)?.[1] ?? 0)));
  const setup = setupOf(plan, setupId);
  const fresh = {
    id: `b${number}`,
    name: `Boundary ${number}`,
    // What is drawn belongs to the view from this side.
    ...(sideOf(setup) === "top" ? {} : { setup: setup.id }),
  } as Boundary;
  return { plan: { ...plan, boundaries: [...(plan.boundaries ?? []), fresh] }, id: fresh.id };
}

type Shared = Pick<Setup, "name" | "on" | "zero" | "clearance" | "packing" | "home" | "keep_outs" | "operations">;

/** The plan with other settings of a setup, of those that all kinds have. */
export const withSetup = (plan: FullPlan, id: string, change: Partial<Shared>): FullPlan => ({
  ...plan,
  setups: plan.setups.map((setup) => (setup === setupOf(plan, id) ? { ...setup, ...change } : setup)),
});

/** The plan with other operations in a setup. */
export function withOperations(plan: FullPlan, id: string, operations: Operation[]): FullPlan {
  return withSetup(plan, id, { operations });
}

export function withOperation(plan: FullPlan, number: number, change: Partial<Operation>): FullPlan {
  const setup = setupWith(plan, number);
  if (!setup) return plan;
  return withOperations(
    plan,
    setup.id,
    setup.operations.map((item) => (item.number === number ? { ...item, ...change } : item)),
  );
}

/** Operations in their new order. Their numbers stay where they were, so that they rise down the sheet. */
export function moved(operations: Operation[], number: number, by: -1 | 1): Operation[] {
  const from = operations.findIndex((item) => item.number === number);
  const to = from + by;
  if (from < 0 || to < 0 || to >= operations.length) return operations;
  const numbers = operations.map((item) => item.number);
  const order = [...operations];
  order.splice(to, 0, ...order.splice(from, 1));
  return order.map((item, k) => ({ ...item, number: numbers[k] as number }));
}

/** The next free number of a job, in tens. */
export function freeNumber(plan: FullPlan): number {
  const last = Math.max(0, ...plan.setups.flatMap((setup) => setup.operations.map((item) => item.number)));
  return (Math.floor(last / 10) + 1) * 10;
}

/** The operations with a copy of one at their end, under a free number. */
export function copied(operations: Operation[], number: number, free: number): Operation[] {
  const item = operations.find((other) => other.number === number);
  return item ? [...operations, { ...item, number: free }] : operations;
}

/** What a calculation does now, and how much of that is done (0 to 1). */
export type Progress = Pick<Calculation, "setup" | "operation" | "stage" | "step">;

/** Share (0 to 1) of an operation that a calculation has done. Setups are calculated in order. */
export function operationShare(derived: Derived, setup: SetupInfo, number: number, at: Progress): number {
  if (at.stage === "whole") return 1;
  const now = derived.setups.findIndex((item) => item.id === at.setup);
  const mine = derived.setups.indexOf(setup);
  if (mine !== now) return mine < now ? 1 : 0;
  if (at.stage !== "operation") return at.stage === "place" || at.stage === "" ? 0 : 1;
  const order = setup.operations.map((item) => item.number);
  const behind = order.indexOf(at.operation ?? -1) - order.indexOf(number);
  return behind > 0 ? 1 : behind === 0 ? at.step : 0;
}

/** The state of an operation in words; `parts` are its setup, or the tiles of it. */
export function stateText(
  info: OperationInfo | undefined,
  parts: SetupInfo[],
  sheet: Pick<Sheet, "busy" | "progress" | "ofThis" | "derived">,
): string {
  if (!info) return "";
  if (info.state !== "out of date" || !sheet.busy || !sheet.ofThis)
    return info.state === "blocked" ? `blocked: ${info.reason}` : info.state;
  const { progress } = sheet;
  if (!progress) return "waiting";
  const shares = parts.map((part) => operationShare(sheet.derived, part, info.number, progress));
  const share = shares.reduce((sum, one) => sum + one, 0) / Math.max(shares.length, 1);
  const begun = share > 0 || (progress.operation === info.number && parts.some((part) => part.id === progress.setup));
  return share === 1 ? "calculated" : begun ? `calculating ${Math.floor(share * 100)} %` : "waiting";
}

const STAGES = { "": "starting", place: "placing the model", compare: "comparing", post: "posting" };

/** How long the line is that something waits in. */
export const waitingText = (ahead: number): string =>
  ahead === 0
    ? "waiting for a worker"
    : ahead === 1
      ? "waiting: one task is before it"
      : `waiting: ${ahead} tasks are before it`;

/** What a calculation does now, in words. `ahead` : of one that waits, how many tasks are before it. */
export function progressText(progress: Progress | null, plan: FullPlan, derived: Derived, ahead = 0): string {
  if (!progress) return waitingText(ahead);
  if (progress.stage === "whole") return "comparing the whole part";
  const words = progress.stage === "operation" ? `operation ${progress.operation ?? ""}` : STAGES[progress.stage];
  const info = derived.setups.find((item) => item.id === progress.setup);
  if (!info || derived.setups.length < 2) return words;
  return `${[setupOf(plan, info.id).name, partTitle(info)].filter(Boolean).join(", ")}: ${words}`;
}

/** What the API sends. The plan's own types come from the OpenAPI document. */
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Plan = Schemas["Plan"];
export type Operation = Omit<Schemas["Operation"], "settings"> & { settings: Record<string, number | string | boolean> };
export type Setup = Omit<Schemas["Setup"], "operations"> & { operations: Operation[] };
export type Model = Schemas["Model"];
export type Cutter = Schemas["Cutter"];
export type JobListed = Schemas["JobListed"];
export type Calculation = Schemas["CalculationState"];
export type MeshState = Schemas["MeshState"];
export type CutterRow = Omit<Schemas["CutterRow"], "data"> & { data: Cutter };

export interface Finding {
  code: string; level: "stop" | "caution" | "note"; row: string; text: string; way_out: string;
  place: [number, number, number] | null; moment: number | null;
}

export interface Estimate { seconds: number; lines: number; layers: number; scallop: number | null }

export interface OperationInfo {
  number: number; title: string; summary: string; line: string;
  state: "current" | "out of date" | "blocked" | "off"; reason?: string; seconds?: number; moves?: number;
  keys?: { moves: string; frames: string }; estimate?: Estimate; curve?: [number, number][];
}

export interface GridFacts { x0: number; y0: number; pitch: number; nx: number; ny: number }

export interface Summary {
  compare: Record<string, number>; findings: Finding[]; grid: GridFacts;
  stock: { x0: number; y0: number; z0: number; x1: number; y1: number; z1: number };
  programs: { name: string; size: number; numbers: number[] }[];
}

export interface SetupInfo {
  id: string; zero: string; matrix: number[][]; operations: OperationInfo[]; summary_key: string | null;
  summary: Summary | null; compare_key: string | null; findings: Finding[];
}

export interface Derived {
  models: Record<string, { low: number[]; high: number[]; size: number[]; matrix: number[][] }>;
  findings: Finding[]; setups: SetupInfo[]; pitch: number;
}

export type FullPlan = Omit<Plan, "setups"> & { setups: Setup[] };

export interface Job {
  id: number; name: string; version: number; revision: number; can_undo: boolean; can_redo: boolean; plan: FullPlan;
  derived: Derived; machine: { name: string; travel: number[] }; calculation: Calculation | null;
  meshes: Record<string, { name: string; picture: string; facts: { triangles: number; repairs: string[]; size: number[] } }>;
}

export interface SettingField {
  title: string; description?: string; default: number | string | boolean; unit?: string; step?: number; fold?: string;
  names?: Record<string, string>; minimum?: number; maximum?: number; exclusiveMinimum?: number;
}

export interface Strategy {
  key: string; title: string; summary: string; shapes: string[]; schema: { properties: Record<string, SettingField> };
}

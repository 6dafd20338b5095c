/** What the API sends. The plan's own types come from the OpenAPI document. */
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Plan = Schemas["Plan"];
export type TabPlaces = [number, number][];
/** The settings of a strategy by name; `tab_places` alone is a list. */
export type Settings = Record<string, number | string | boolean | TabPlaces>;
export type Operation = Omit<Schemas["Operation"], "settings"> & { settings: Settings };
export type Setup = Omit<Schemas["Setup"], "operations"> & { operations: Operation[] };
export type Model = Schemas["Model"];
export type Cutter = Schemas["Cutter"];
export type JobListed = Schemas["JobListed"];
export type Calculation = Schemas["CalculationState"];
export type Storage = Schemas["Storage"];
export type MeshState = Schemas["MeshState"];
export type CutterRow = Omit<Schemas["CutterRow"], "data" | "outline"> & { data: Cutter; outline: [number, number][] };
export type CutterLook = Required<Omit<Schemas["CutterLook"], "outline" | "proposed">> & {
  outline: [number, number][];
  proposed: Partial<Feeds["proposed"]>;
};

export type Placement = Required<NonNullable<Schemas["Model"]["placement"]>>;
export type Copies = Required<NonNullable<Schemas["Model"]["copies"]>>;
export type Zero = Required<NonNullable<Schemas["Setup"]["zero"]>>;
export type KeepOut = Required<Schemas["KeepOut"]>;
export type Limit = Required<Schemas["Limit"]>;
export type Boundary = Schemas["Boundary"];
export type Stock = Schemas["Stock"];
export type Material = Required<Schemas["Material"]>;
export type Piece = Required<Schemas["Piece"]>;
export type Fitting = Schemas["Fitting"];
export interface Listed<T> {
  id: number;
  data: T;
}

/** A change that the server makes of a plan: its name under `do`, and its words. */
export interface Edit {
  do: string;
  [word: string]: unknown;
}
export interface Fix {
  label: string;
  edit: Edit;
}

export interface Finding {
  code: string;
  level: "stop" | "caution" | "note";
  row: string;
  text: string;
  advice: string;
  place: [number, number, number] | null;
  moment: number | null;
  fixes: Fix[];
  overridden: string;
}

export interface MeshFacts {
  format: string;
  triangles: number;
  vertices: number;
  size: number[];
  watertight: boolean;
  shells: number;
  holes: number;
  flipped: number;
  inside_out: number;
  without_area: number;
  duplicates: number;
  nonmanifold: number;
  largest_hole: number;
  smallest_shell: number;
  repairs: string[];
  said: string[];
  unit: { name: string; mm: number; sure: boolean };
}

export interface ModelState {
  state: "ready" | "working" | "refused";
  reason: string;
  look: string;
  facts: MeshFacts;
  low: number[];
  high: number[];
  size: number[];
  scale: number[];
  matrices: number[][][];
  percent: number;
  slab: number | null;
  undercut: number;
}

export interface RepairKind {
  key: string;
  title: string;
  summary: string;
  schema: { properties: Record<string, SettingField & { length?: boolean }> };
}

export interface Estimate {
  seconds: number;
  lines: number;
  layers: number;
  scallop: number | null;
}

export interface Feeds {
  sum: string;
  own: string[];
  kept: string[];
  proposed: { feed: number; plunge_feed: number; spindle: number };
  proposed_sum: string;
}

export interface OperationInfo {
  number: number;
  parent: number;
  cutter: Cutter;
  title: string;
  summary: string;
  line: string;
  outline: [number, number][];
  feeds: Feeds;
  state: "current" | "out of date" | "blocked" | "off";
  reason?: string;
  seconds?: number;
  moves?: number;
  tabs: { outline: number; share: number; at: [number, number] }[];
  keys?: { moves: string; frames: string };
  estimate?: Estimate;
  curve?: [number, number][];
}

export interface GridFacts {
  x0: number;
  y0: number;
  pitch: number;
  nx: number;
  ny: number;
}

export interface Summary {
  compare: Record<string, number>;
  findings: Finding[];
  grid: GridFacts;
  stock: { x0: number; y0: number; z0: number; x1: number; y1: number; z1: number };
  worst: Worst[];
  gains: Gain[];
  pieces: Piece3D[];
  block_key: string;
  compare_grid: GridFacts;
}

export interface Worst {
  place: [number, number, number];
  deviation: number;
  reachable: boolean;
}
export interface Gain {
  number: number;
  removed: number;
  left: number;
  within: number;
}
export interface Piece3D {
  kind: "part" | "frame" | "free";
  volume: number;
  place: [number, number, number];
  freed_by: number | null;
  freed: number | null;
}
/** How long a setup takes, in seconds, and what the times that were entered make of it. */
export interface JobTime {
  moves: number;
  changes: number;
  waits: number;
  total: number;
  calculated: boolean;
  factor: number;
  low: number;
  high: number;
  entries: number;
}

/** A program from a file, proved against the stock. */
export interface ExternalProgram {
  refused?: string;
  moves: number;
  lines: number;
  seconds: number;
  low: number[];
  high: number[];
  findings: Finding[];
  compare: Record<string, number>;
  parts: {
    number: number;
    cutter: Cutter;
    outline: [number, number][];
    seconds: number;
    moves: string;
    frames: string;
  }[];
}
export type Post = Required<Schemas["Post"]>;
export interface PostListed {
  shipped: boolean;
  data: Post;
}

export type Axis = Required<Schemas["Axis"]>;
export type Machine = Required<Omit<Schemas["Machine"], "axes" | "bed">> & {
  axes: Axis[];
  bed: [number, number] | null;
};
export interface MachineListed {
  shipped: boolean;
  data: Machine;
}

/** A posted file: bytes, the operations in it, how long they take, and what cuts. */
export interface Program {
  name: string;
  size: number;
  numbers: number[];
  seconds: number;
  cutters: string[];
}

export interface SetupInfo {
  id: string;
  zero: string;
  post_unit: "mm" | "in";
  matrix: number[][];
  /** The work zero in the frame of the setup. */
  zero_at: [number, number, number];
  drawn: boolean;
  outlines: Record<string, { key: string; area?: number; loops?: number; refused?: string } | null>;
  operations: OperationInfo[];
  summary_key: string | null;
  summary: Summary | null;
  programs: Program[] | null;
  files_key: string;
  compare_key: string | null;
  pieces_key: string | null;
  time: JobTime;
  findings: Finding[];
}

export interface Derived {
  models: Record<string, ModelState | { state: "reading" }>;
  findings: Finding[];
  setups: SetupInfo[];
  pitch: number;
}

export type FullPlan = Omit<Plan, "setups"> & { setups: Setup[] };

export interface Job {
  id: number;
  name: string;
  version: number;
  revision: number;
  can_undo: boolean;
  can_redo: boolean;
  plan: FullPlan;
  derived: Derived;
  machine: Machine;
  calculation: Calculation | null;
  meshes: Record<string, { name: string; facts: MeshFacts }>;
}

/** The state of a model whose mesh has been read, or undefined. */
export function placedOf(derived: Derived, id: string): ModelState | undefined {
  const found = derived.models[id];
  return found && found.state !== "reading" ? found : undefined;
}

export interface SettingField {
  title: string;
  description?: string;
  default: number | string | boolean;
  unit?: string;
  step?: number;
  fold?: string;
  own?: string;
  names?: Record<string, string>;
  minimum?: number;
  maximum?: number;
  exclusiveMinimum?: number;
}

export interface Strategy {
  key: string;
  title: string;
  summary: string;
  shapes: string[];
  schema: { properties: Record<string, SettingField> };
}

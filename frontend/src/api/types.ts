/** What the API sends. The plan's own types come from the OpenAPI document. */
import type { components } from "./schema";

type Schemas = components["schemas"];
export type Plan = Schemas["Plan"];
export type TabPlaces = [number, number][];
/** The settings of a strategy by name; `tab_places` alone is a list. */
export type Settings = Record<string, number | string | boolean | TabPlaces>;
export type Operation = Omit<Schemas["Operation"], "settings"> & { settings: Settings };
type SetupOf<K extends "FaceSetup" | "RotarySetup" | "TiledSetup" | "TileSetup"> = Omit<Schemas[K], "operations"> & {
  operations: Operation[];
};
export type Setup = SetupOf<"FaceSetup"> | SetupOf<"RotarySetup"> | SetupOf<"TiledSetup"> | SetupOf<"TileSetup">;
export type Side = Schemas["FaceSetup"]["side"];
export type Model = Schemas["Model"];
export type Cutter = Schemas["Cutter"];
export type JobListed = Schemas["JobListed"];
export type JobPage = Schemas["JobPage"];
export type DeletedListed = Schemas["DeletedListed"];
export type Calculation = Schemas["CalculationState"];
export type Storage = Schemas["Storage"];
export type MeshState = Schemas["MeshState"];
export type CutterRow = Schemas["CutterRow"];
export type CutterLook = Schemas["CutterLook"];

export type Placement = NonNullable<Schemas["Model"]["placement"]>;
export type Copies = NonNullable<Schemas["Model"]["copies"]>;
export type Zero = NonNullable<Schemas["FaceSetup"]["zero"]>;
export type Rotary = Schemas["Rotary"];
export type KeepOut = Schemas["KeepOut"];
export type Limit = Schemas["Limit"];
export type Boundary = Schemas["Boundary"];
export type Stock = Schemas["Stock"];
export type Material = Schemas["Material"];
export type Piece = Schemas["Piece"];
export type Fitting = Schemas["Fitting"];
export type FileOrigin = Schemas["FileOrigin"];
export type Times = Schemas["Times"];
export interface Listed<T> {
  id: number;
  data: T;
}

/** A change that the server makes of a plan: its name under `do`, and its words. */
export type PlanEdit = Schemas["Edit"]["edit"];
/** An edit of one name. */
export type EditOf<D extends PlanEdit["do"]> = Extract<PlanEdit, { do: D }>;
export type Fix = Schemas["FixAnswer"];

export type Finding = Schemas["FindingAnswer"];

export type MeshFacts = Schemas["MeshFacts"];

export type ModelState = Schemas["ModelAnswer"];

export type RepairKind = Schemas["RepairForm"];

export type Estimate = Schemas["EstimateAnswer"];

export type Feeds = Schemas["FeedsAnswer"];

export type OperationInfo = Schemas["OperationAnswer"];

export type GridFacts = Schemas["GridAnswer"];

export type Summary = Schemas["SummaryAnswer"];

export type Worst = Schemas["WorstAnswer"];
export type Gain = Schemas["GainAnswer"];
export type Faces = NonNullable<Plan["faces"]>;
export type Tiles = Schemas["TiledSetup"]["tiles"];
export type Composition = Schemas["Composition"];
export type ReliefPiece = Schemas["ReliefPiece"];
export type ReliefSection = Schemas["ReliefSection"];
export type ReliefForms = Schemas["Forms"];
/** A setting of a strategy, a repair, a source or a shape. */
export type SettingField = Schemas["FieldForm"];
export type FaceTab = NonNullable<Faces["tabs"]>[number];
export type Piece3D = Schemas["PieceAnswer"];
export type JobTime = Schemas["TimeAnswer"];

/** A program from a file, proved against the stock. */
export type ExternalProgram = Schemas["ExternalAnswer"];
export type Post = Schemas["Post"];
export type PostListed = Schemas["PostListed"];

export type Axis = Schemas["Axis"];
export type Machine = Schemas["Machine"];
export type MachineListed = Schemas["MachineListed"];

export type Program = Schemas["ProgramAnswer"];

export type SetupInfo = Schemas["SetupAnswer"];

export type Derived = Schemas["DerivedAnswer"];

export type FullPlan = Omit<Plan, "setups"> & { setups: Setup[] };

export type Job = Omit<Schemas["JobState"], "plan" | "derived" | "machine"> & {
  plan: FullPlan;
  derived: Derived;
  machine: Machine;
};

/** A job as it is sent: the settings of its operations are read by name. */
export const asJob = (state: Schemas["JobState"]): Job => state as unknown as Job;

/** A plan as it would be, read in the same way. */
export const asPreview = (seen: { derived: Derived }) => seen as unknown as { plan: FullPlan; derived: Derived };

/** The state of a model whose mesh has been read, or undefined. */
export function placedOf(derived: Derived, id: string): ModelState | undefined {
  const found = derived.models[id];
  return found && found.state !== "reading" ? found : undefined;
}

export type Strategy = Schemas["StrategyForm"];

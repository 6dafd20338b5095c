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
export type Model = Schemas["Model"];
export type Cutter = Schemas["Cutter"];
export type JobListed = Schemas["JobListed"];
export type JobPage = Schemas["JobPage"];
export type DeletedListed = Schemas["DeletedListed"];
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
export type Zero = Required<NonNullable<Schemas["FaceSetup"]["zero"]>>;
export type Rotary = Schemas["Rotary"];
export type KeepOut = Required<Schemas["KeepOut"]>;
export type Limit = Required<Schemas["Limit"]>;
export type Boundary = Schemas["Boundary"];
export type Stock = Schemas["Stock"];
export type Material = Required<Schemas["Material"]>;
export type Piece = Required<Schemas["Piece"]>;
export type Fitting = Schemas["Fitting"];
export type FileOrigin = Schemas["FileOrigin"];
export type Times = Schemas["Times"];
export interface Listed<T> {
  id: number;
  data: T;
}

/** A change that the server makes of a plan: its name under `do`, and its words. */
export interface Edit {
  do: string;
  [word: string]: unknown;
}
export type Fix = Omit<Schemas["FixAnswer"], "edit"> & { edit: Edit };

export type Finding = Omit<Schemas["FindingAnswer"], "fixes"> & { fixes: Fix[] };

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
export type ExternalProgram = Omit<Schemas["ExternalAnswer"], "findings"> & { findings: Finding[] };
export type Post = Required<Schemas["Post"]>;
export type PostListed = Omit<Schemas["PostListed"], "data"> & { data: Post };

export type Axis = Required<Schemas["Axis"]>;
export type Machine = Required<Omit<Schemas["Machine"], "axes" | "bed">> & {
  axes: Axis[];
  bed: [number, number] | null;
};
export type MachineListed = Omit<Schemas["MachineListed"], "data"> & { data: Machine };

export type Program = Schemas["ProgramAnswer"];

export type SetupInfo = Omit<Schemas["SetupAnswer"], "findings"> & { findings: Finding[] };

export type Derived = Omit<Schemas["DerivedAnswer"], "findings" | "setups"> & {
  findings: Finding[];
  setups: SetupInfo[];
};

export type FullPlan = Omit<Plan, "setups"> & { setups: Setup[] };

export type Job = Omit<Schemas["JobState"], "plan" | "derived" | "machine"> & {
  plan: FullPlan;
  derived: Derived;
  machine: Machine;
};

/** The state of a model whose mesh has been read, or undefined. */
export function placedOf(derived: Derived, id: string): ModelState | undefined {
  const found = derived.models[id];
  return found && found.state !== "reading" ? found : undefined;
}

export type Strategy = Schemas["StrategyForm"];

/** Results of workers: waited for, and read as arrays or files. */
import { useQuery } from "@tanstack/react-query";
import { answered, api, loadArray, sendFile, type Typed } from "./client";
import { isLive, nextEvent } from "./events";
import type { FileOrigin, GridFacts } from "./types";

/** Milliseconds that a result is waited for; and between two questions, where events say when it may be there. */
const LONGEST = 8 * 60_000;
const SLOWLY = 2000;

const read = {
  made: (key: string) => answered(api.GET("/api/results/{key}/made", { params: { path: { key } } })),
  external: (key: string) => answered(api.GET("/api/results/{key}/external", { params: { path: { key } } })),
};

/** Wait for what a worker is making under `key`; rejects with its own sentence where it refuses. */
export async function resultOf<T>(key: string, made: "made" | "external" = "made"): Promise<T> {
  const end = Date.now() + LONGEST;
  for (let turn = 0; Date.now() < end; turn++) {
    const found = (await read[made](key).catch(() => null)) as { facts: (T & { refused?: string }) | null } | null;
    if (found?.facts?.refused) throw new Error(found.facts.refused);
    if (found?.facts) return found.facts;
    await nextEvent("results", isLive() ? SLOWLY : turn < 10 ? 100 : 400);
  }
  throw new Error("this takes too long: is the worker running?");
}

async function written(answer: Promise<{ key: string }>): Promise<string> {
  const { key } = await answer;
  await resultOf(key);
  return `/api/results/${key}/file`;
}

/** Have a model written as a file; resolves to where it can be fetched. */
export const exportModel = (job: number, model: string, suffix: string) =>
  written(
    answered(api.POST("/api/jobs/{job_id}/export", { params: { path: { job_id: job } }, body: { model, suffix } })),
  );

export type MeshSuffix = ".stl" | ".glb";

/** Have the proof written as a mesh; resolves to where it can be fetched. */
export const exportBlock = (job: number, setup: string, suffix: MeshSuffix, alone: boolean) =>
  written(
    answered(
      api.POST("/api/jobs/{job_id}/block/{setup_id}", {
        params: { path: { job_id: job, setup_id: setup }, query: { suffix, alone } },
      }),
    ),
  );

/** Have the block after all setups written as a mesh; resolves to where it can be fetched. */
export const exportWhole = (job: number, suffix: MeshSuffix) =>
  written(answered(api.POST("/api/jobs/{job_id}/whole", { params: { path: { job_id: job }, query: { suffix } } })));

export interface Lens {
  grid: GridFacts;
  data: Float32Array;
}

/** A small window of the block at full resolution. */
export async function loadLens(
  job: number,
  setup: string,
  at: [number, number],
  side: number,
  pitch: number,
  operations: number,
): Promise<Lens> {
  const low: [number, number] = [at[0] - side / 2, at[1] - side / 2],
    high: [number, number] = [at[0] + side / 2, at[1] + side / 2];
  const { key } = await answered(
    api.POST("/api/jobs/{job_id}/window/{setup_id}", {
      params: { path: { job_id: job, setup_id: setup } },
      body: { low, high, pitch, operations },
    }),
  );
  const grid = await resultOf<GridFacts>(key);
  return { grid, data: (await loadArray<Float32Array>(key, "high")).data };
}

/**
 * Whose file a program is, and where its proof will be found. `after` is the operation after which it is run: 0 as the
 * setup begins, none where its file tells.
 */
export const checkFile = (job: number, setup: string, file: File, after: number | null) =>
  sendFile<FileOrigin>(
    `/jobs/${job}/check/${setup}${after === null ? "" : `?after=${after}`}`,
    file,
    () => undefined,
    new AbortController().signal,
  );

/** The grid of an operation's frames, and how many moments they have. */
export const framesOf = async (key: string): Promise<GridFacts & { moments: number }> =>
  (await answered(api.GET("/api/results/{key}/facts", { params: { path: { key } } }))).facts as unknown as GridFacts & {
    moments: number;
  };

/** The line of a posted file that makes a move. */
export const lineOfMove = (key: string, operation: number, move: number) =>
  answered(api.GET("/api/results/{key}/line/{operation}/{move}", { params: { path: { key, operation, move } } }));

const forever = { staleTime: Infinity, gcTime: 600_000 };

/** A decimated picture of a mesh, or the lighter one that is drawn while it moves. */
export const usePicture = (key: string | undefined, prefix: "" | "light_" = "") =>
  useQuery({
    queryKey: ["picture", key, prefix],
    enabled: Boolean(key),
    ...forever,
    queryFn: async () => {
      const [vertices, faces] = await Promise.all([
        loadArray<Float32Array>(key as string, `${prefix}vertices`),
        loadArray<Int32Array>(key as string, `${prefix}faces`),
      ]);
      return { vertices: vertices.data, faces: faces.data };
    },
  });

export const useBlockDetail = <T extends Typed = Float32Array>(key: string | undefined, name: string) =>
  useQuery({
    queryKey: ["array", key, name],
    enabled: Boolean(key),
    ...forever,
    queryFn: () => loadArray<T>(key as string, name),
  });

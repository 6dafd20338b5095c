/** Server state. */
import { useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { rebased } from "../lib/rebase";
import { readPreview, readReach, type Spot } from "../lib/relief";
import { loadArray, Refusal, request, requestBytes, sendFile, type Typed } from "./client";
import { lineOf } from "./line";
import type {
  Calculation,
  Composition,
  Cutter,
  CutterLook,
  CutterRow,
  Derived,
  Edit,
  FileOrigin,
  Fitting,
  FullPlan,
  GridFacts,
  Job,
  Listed,
  Machine,
  MachineListed,
  Material,
  Operation,
  Post,
  PostListed,
  ReliefForms,
  ReliefSection,
  RepairKind,
  Storage,
  Strategy,
  Times,
} from "./types";

const busy = (calculation: Calculation | null | undefined) =>
  calculation?.state === "waiting" || calculation?.state === "working";

/** Whether workers are still reading or repairing a mesh, drawing a boundary, or looking at the ground for the estimates. */
export function isWorkedOn(derived: Derived): boolean {
  const models = Object.values(derived.models);
  return (
    models.some((model) => model.state === "working" || model.state === "reading") ||
    (models.length > 0 && derived.setups.some((setup) => !setup.drawn || Object.values(setup.outlines).includes(null)))
  );
}

export const useJob = (id: number) =>
  useQuery({
    queryKey: ["job", id],
    queryFn: () => request<Job>(`/jobs/${id}`),
    refetchOnWindowFocus: true,
    refetchInterval: (query) => (query.state.data && isWorkedOn(query.state.data.derived) ? 500 : 5000),
  });

/** What changes with each step of a calculation. */
const STEP = ["id", "state", "setup", "operation", "stage"] as const;

/** Watches the latest calculation while it runs; the job is read again when it ends or an operation is done. */
export function useCalculation(job: Job | undefined) {
  const client = useQueryClient();
  return useQuery({
    queryKey: ["calculation", job?.id],
    enabled: job !== undefined,
    queryFn: async () => {
      const before = client.getQueryData<Calculation | null>(["calculation", job?.id]);
      const now = await request<Calculation | null>(`/jobs/${job?.id}/calculation`);
      if (before && (!now || STEP.some((key) => before[key] !== now[key])))
        void client.invalidateQueries({ queryKey: ["job", job?.id] });
      return now;
    },
    refetchInterval: (query) => (busy(query.state.data) ? 400 : 5000),
  });
}

export const isBusy = busy;

export const useCutters = () => useQuery({ queryKey: ["cutters"], queryFn: () => request<CutterRow[]>("/cutters") });

export const useStrategies = () =>
  useQuery({
    queryKey: ["strategies"],
    queryFn: () => request<Strategy[]>("/cutters/strategies"),
    staleTime: Infinity,
  });

export const useShapes = () =>
  useQuery({
    queryKey: ["shapes"],
    queryFn: () => request<Record<string, { title: string; needs: string[] }>>("/cutters/shapes"),
    staleTime: Infinity,
  });

export const previewPlan = (plan: FullPlan, edit: Edit | null = null) =>
  request<{ plan: FullPlan; derived: Derived }>("/jobs/preview/plan", "POST", { plan, edit });

export const useRepairs = () =>
  useQuery({ queryKey: ["repairs"], queryFn: () => request<RepairKind[]>("/shelf/repairs"), staleTime: Infinity });

export const useFormats = () =>
  useQuery({
    queryKey: ["formats"],
    queryFn: () => request<{ read: string[]; written: string[] }>("/shelf/formats"),
    staleTime: Infinity,
  });

export type Shelf = "materials" | "pieces";

export const useShelf = <T>(shelf: Shelf) =>
  useQuery({ queryKey: ["shelf", shelf], queryFn: () => request<Listed<T>[]>(`/shelf/${shelf}`) });

export function useShelfActions<T>(shelf: Shelf) {
  const client = useQueryClient();
  const settle = { onSuccess: () => client.invalidateQueries({ queryKey: ["shelf", shelf] }) };
  return {
    save: useMutation({
      ...settle,
      mutationFn: (v: { id: number | null; data: T }) =>
        v.id === null
          ? request(`/shelf/${shelf}`, "POST", { data: v.data })
          : request(`/shelf/${shelf}/${v.id}`, "PUT", { data: v.data }),
    }),
    remove: useMutation({
      ...settle,
      mutationFn: (id: number) => request<undefined>(`/shelf/${shelf}/${id}`, "DELETE"),
    }),
  };
}

export const useFittingPieces = (job: number, revision: number, open: boolean) =>
  useQuery({
    queryKey: ["fitting", job, revision],
    enabled: open,
    queryFn: () => request<Fitting[]>(`/jobs/${job}/pieces`),
  });

const wait = (ms: number) => new Promise((resolve) => setTimeout(resolve, ms));

/** Wait for what a worker is making under `key`; rejects with its own sentence where it refuses. */
export async function resultOf<T>(key: string, made: "made" | "external" = "made"): Promise<T> {
  for (let turn = 0; turn < 1200; turn++) {
    const found = await request<{ facts: (T & { refused?: string }) | null }>(`/results/${key}/${made}`).catch(
      () => null,
    );
    if (found?.facts?.refused) throw new Error(found.facts.refused);
    if (found?.facts) return found.facts;
    await wait(turn < 10 ? 100 : 400);
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
  written(request(`/jobs/${job}/export`, "POST", { model, suffix }));

export const useJobKinds = () =>
  useQuery({ queryKey: ["kinds"], queryFn: () => request<Record<string, string>>("/jobs/kinds"), staleTime: Infinity });

/** Have setups and operations proposed; resolves, with notes for the user, when they are a new revision of the job. */
export async function proposeKind(job: number, based_on: number, kind: string): Promise<string[]> {
  const { key } = await request<{ key: string }>(`/jobs/${job}/propose`, "POST", { based_on, kind });
  return (await resultOf<{ notes?: string[] }>(key)).notes ?? [];
}

/** Have the proof written as a mesh; resolves to where it can be fetched. */
export const exportBlock = (job: number, setup: string, suffix: string, alone: boolean) =>
  written(request(`/jobs/${job}/block/${setup}?suffix=${suffix}&alone=${alone}`, "POST"));

/** Have the pieces of a job laid out; resolves to the job and those that were made for further boards. */
export const layOnBoards = (job: number, version: number, gap: number) =>
  request<number[]>(`/jobs/${job}/boards`, "POST", { based_on: version, gap });

/** Have the block after all setups written as a mesh; resolves to where it can be fetched. */
export const exportWhole = (job: number, suffix: string) =>
  written(request(`/jobs/${job}/whole?suffix=${suffix}`, "POST"));

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
  const low = [at[0] - side / 2, at[1] - side / 2],
    high = [at[0] + side / 2, at[1] + side / 2];
  const { key } = await request<{ key: string }>(`/jobs/${job}/window/${setup}`, "POST", {
    low,
    high,
    pitch,
    operations,
  });
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

export const usePosts = () => useQuery({ queryKey: ["posts"], queryFn: () => request<PostListed[]>("/posts") });

export function usePostActions() {
  const client = useQueryClient();
  const settle = { onSuccess: () => client.invalidateQueries({ queryKey: ["posts"] }) };
  return {
    save: useMutation({
      ...settle,
      mutationFn: (v: { key: string | null; data: Post }) =>
        v.key === null
          ? request<PostListed>("/posts", "POST", { data: v.data })
          : request<PostListed>(`/posts/${v.key}`, "PUT", { data: v.data }),
    }),
    remove: useMutation({ ...settle, mutationFn: (key: string) => request<undefined>(`/posts/${key}`, "DELETE") }),
  };
}

export const useMachines = () =>
  useQuery({ queryKey: ["machines"], queryFn: () => request<MachineListed[]>("/machines") });

export function useMachineActions() {
  const client = useQueryClient();
  const settle = { onSuccess: () => client.invalidateQueries({ queryKey: ["machines"] }) };
  return {
    save: useMutation({
      ...settle,
      mutationFn: (v: { key: string | null; data: Machine }) =>
        v.key === null
          ? request<MachineListed>("/machines", "POST", { data: v.data })
          : request<MachineListed>(`/machines/${v.key}`, "PUT", { data: v.data }),
    }),
    remove: useMutation({ ...settle, mutationFn: (key: string) => request<undefined>(`/machines/${key}`, "DELETE") }),
  };
}

/** What a post that is being typed would write; the last answer stays until the next is there. */
export const usePostPreview = (data: Post) =>
  useQuery({
    queryKey: ["post preview", data],
    placeholderData: (last: { text: string; problem: string } | undefined) => last,
    gcTime: 10_000,
    queryFn: () => request<{ text: string; problem: string }>("/posts/preview", "POST", { data }),
  });

export function useTimes(machine: string, job: number, open: boolean) {
  const client = useQueryClient();
  const settle = {
    onSuccess: (times: Times) => {
      client.setQueryData(["times", machine], times);
      return client.invalidateQueries({ queryKey: ["job", job] });
    },
  };
  return {
    times: useQuery({
      queryKey: ["times", machine],
      enabled: open,
      queryFn: () => request<Times>(`/times/${machine}`),
    }),
    enter: useMutation({
      ...settle,
      mutationFn: (v: { job: string; calculated: number; real: number }) =>
        request<Times>(`/times/${machine}`, "POST", v),
    }),
    remove: useMutation({ ...settle, mutationFn: (id: number) => request<Times>(`/times/${machine}/${id}`, "DELETE") }),
  };
}

/** The closed curves of an SVG or DXF file, from the low corner of the stock. */
export const readCurves = (file: File) =>
  sendFile<{ curves: [number, number][][]; notes: string[] }>(
    `/jobs/curves?name=${encodeURIComponent(file.name)}`,
    file,
    () => undefined,
    new AbortController().signal,
  );

export const proposeOperation = (job: number, strategy: string) =>
  request<Operation>(`/jobs/${job}/operation/${strategy}`);

/** Take what a change answers for what is known under `key`: running queries are cancelled, as their answers may be older. */
const taken =
  <T>(client: QueryClient, key: [string, number]) =>
  async (state: T) => {
    await client.cancelQueries({ queryKey: key });
    client.setQueryData(key, state);
  };

/** What adds something can be added to whatever the job is by now, such as after a change in another window. */
async function sendEdit(id: number, body: { based_on: number; edit: Edit; note: string }): Promise<Job> {
  const send = (based_on: number) => request<Job>(`/jobs/${id}/edit`, "POST", { ...body, based_on });
  return send(body.based_on).catch(async (reason: unknown) => {
    const stale = reason instanceof Refusal && reason.status === 409;
    if (!stale || !String(body.edit["do"]).startsWith("add_")) throw reason;
    return send((await request<Job>(`/jobs/${id}`)).version);
  });
}

/** All that changes a job; each answer is the job as it then stands. */
export function useJobActions(id: number) {
  const client = useQueryClient();
  const line = lineOf(id);
  const settle = {
    onSuccess: taken<Job>(client, ["job", id]),
    onError: () => client.invalidateQueries({ queryKey: ["job", id] }),
  };
  const calculation = { onSuccess: taken<Calculation | null>(client, ["calculation", id]) };
  return {
    write: useMutation({
      ...settle,
      // A whole plan that had to wait was made without the change before it: it is carried over to what that led to.
      mutationFn: (v: { based_on: number; from: FullPlan; plan: FullPlan; note: string }) =>
        line.go(v.based_on, (based_on, before) =>
          request<Job>(`/jobs/${id}/plan`, "PUT", {
            based_on,
            plan: before ? rebased(v.from, v.plan, before.plan) : v.plan,
            note: v.note,
          }),
        ),
    }),
    edit: useMutation({
      ...settle,
      mutationFn: (v: { based_on: number; edit: Edit; note: string }) =>
        line.go(v.based_on, (based_on) => sendEdit(id, { ...v, based_on })),
    }),
    undo: useMutation({
      ...settle,
      mutationFn: (version: number) =>
        line.go(version, (based_on) => request<Job>(`/jobs/${id}/undo`, "POST", { based_on })),
    }),
    redo: useMutation({
      ...settle,
      mutationFn: (version: number) =>
        line.go(version, (based_on) => request<Job>(`/jobs/${id}/redo`, "POST", { based_on })),
    }),
    rename: useMutation({ ...settle, mutationFn: (name: string) => request<Job>(`/jobs/${id}`, "PATCH", { name }) }),
    calculate: useMutation({ ...calculation, mutationFn: () => request<Calculation>(`/jobs/${id}/calculate`, "POST") }),
    cancel: useMutation({
      ...calculation,
      mutationFn: () => request<Calculation | null>(`/jobs/${id}/cancel`, "POST"),
    }),
  };
}

export function useCutterActions() {
  const client = useQueryClient();
  const settle = { onSuccess: () => client.invalidateQueries({ queryKey: ["cutters"] }) };
  return {
    save: useMutation({
      ...settle,
      mutationFn: (v: { id: number | null; data: Cutter }) =>
        v.id === null
          ? request<CutterRow>("/cutters", "POST", { data: v.data })
          : request<CutterRow>(`/cutters/${v.id}`, "PUT", { data: v.data }),
    }),
    remove: useMutation({ ...settle, mutationFn: (id: number) => request<undefined>(`/cutters/${id}`, "DELETE") }),
    bring: useMutation({
      ...settle,
      mutationFn: (v: { name: string; text: string; clash: string }) =>
        request<{ count: number; taken: number[] }>("/cutters/import", "POST", v),
    }),
  };
}

/** What the server says of a cutter that is being typed; the last answer stays until the next is there. */
export const useCutterLook = (data: Cutter, material: Material | null, units: string) =>
  useQuery({
    queryKey: ["cutter look", data, material, units],
    placeholderData: (last: CutterLook | undefined) => last,
    gcTime: 10_000,
    queryFn: () => request<CutterLook>("/cutters/look", "POST", { data, material, units }),
  });

/** What can be chosen and entered for a piece of a relief. */
export const useReliefForms = () =>
  useQuery({
    queryKey: ["relief forms"],
    queryFn: () => request<ReliefForms>("/reliefs/forms"),
    staleTime: Infinity,
  });

/** The coarse surface of a relief as it is being changed; the last one stays until the next is there. */
export const useReliefPreview = (job: number, model: string, composition: Composition | null | undefined) =>
  useQuery({
    queryKey: ["relief", job, model, composition],
    enabled: Boolean(composition),
    placeholderData: (last: Awaited<ReturnType<typeof loadPreview>> | undefined) => last,
    gcTime: 20_000,
    staleTime: 60_000,
    retry: false,
    queryFn: () => loadPreview(job, model, composition as Composition),
  });

const loadPreview = async (job: number, model: string, composition: Composition) =>
  readPreview(await requestBytes(`/reliefs/jobs/${job}/preview`, { model, composition }));

/** A section through a relief, and what a cutter leaves in it. */
export const useReliefSection = (composition: Composition, ends: [Spot, Spot] | null, cutter: Cutter | null) =>
  useQuery({
    queryKey: ["relief section", composition, ends, cutter],
    enabled: ends !== null,
    placeholderData: (last: ReliefSection | undefined) => last,
    gcTime: 10_000,
    retry: false,
    queryFn: () =>
      request<ReliefSection>("/reliefs/section", "POST", { composition, start: ends?.[0], end: ends?.[1], cutter }),
  });

/** What a cutter leaves of a whole relief. */
export const useReliefReach = (composition: Composition | null, cutter: Cutter | null) =>
  useQuery({
    queryKey: ["relief reach", composition, cutter],
    enabled: composition !== null && cutter !== null,
    gcTime: 20_000,
    staleTime: 60_000,
    retry: false,
    queryFn: async () => readReach(await requestBytes("/reliefs/reach", { composition, cutter })),
  });

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

/** Room for calculated results, in megabytes. */
export function useStorage() {
  const client = useQueryClient();
  const { data } = useQuery({ queryKey: ["storage"], queryFn: () => request<Storage>("/storage"), staleTime: 10_000 });
  const change = useMutation({
    mutationFn: (limit: number) => request<Storage>("/storage", "PUT", { limit }),
    onSuccess: (found) => client.setQueryData(["storage"], found),
  });
  return { data, change };
}

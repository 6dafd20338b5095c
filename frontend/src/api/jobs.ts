/** A job: what the server knows of it, its calculation, and all that changes it. */
import { useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { rebased } from "../lib/rebase";
import { answered, api, Refusal, sendFile } from "./client";
import { useLive } from "./events";
import { lineOf } from "./line";
import { isWorkedOn } from "./live";
import { resultOf } from "./results";
import { asJob, asPreview, type Calculation, type PlanEdit, type FullPlan, type Job, type Operation } from "./types";

/** Milliseconds between two questions where the event stream answers them: events may be lost. */
const RARELY = 30_000;

export const isBusy = (calculation: Calculation | null | undefined) =>
  calculation?.state === "waiting" || calculation?.state === "working";

const of = (job: number) => ({ params: { path: { job_id: job } } });
const readJob = (job: number): Promise<Job> => answered(api.GET("/api/jobs/{job_id}", of(job))).then(asJob);

export function useJob(id: number) {
  const live = useLive();
  return useQuery({
    queryKey: ["job", id],
    queryFn: () => readJob(id),
    refetchOnWindowFocus: true,
    refetchInterval: (query) => (live ? RARELY : query.state.data && isWorkedOn(query.state.data.derived) ? 500 : 5000),
  });
}

/** What changes with each step of a calculation. */
const STEP = ["id", "state", "setup", "operation", "stage"] as const;

/** Watches the latest calculation while it runs; the job is read again when it ends or an operation is done. */
export function useCalculation(job: Job | undefined) {
  const client = useQueryClient();
  const live = useLive();
  const id = job?.id ?? 0;
  return useQuery({
    queryKey: ["calculation", id],
    enabled: job !== undefined,
    queryFn: async () => {
      const before = client.getQueryData<Calculation | null>(["calculation", id]);
      const now = await answered(api.GET("/api/jobs/{job_id}/calculation", of(id)));
      if (before && (!now || STEP.some((key) => before[key] !== now[key])))
        void client.invalidateQueries({ queryKey: ["job", id] });
      return now;
    },
    refetchInterval: (query) => (live ? RARELY : isBusy(query.state.data) ? 400 : 5000),
  });
}

export const previewPlan = (plan: FullPlan, edit: PlanEdit | null = null) =>
  answered(api.POST("/api/jobs/preview/plan", { body: { plan: { ...plan }, edit } })).then(asPreview);

export const useFittingPieces = (job: number, revision: number, open: boolean) =>
  useQuery({
    queryKey: ["fitting", job, revision],
    enabled: open,
    queryFn: () => answered(api.GET("/api/jobs/{job_id}/pieces", of(job))),
  });

export const useJobKinds = () =>
  useQuery({ queryKey: ["kinds"], queryFn: () => answered(api.GET("/api/jobs/kinds")), staleTime: Infinity });

/** Have setups and operations proposed; resolves, with notes for the user, when they are a new revision of the job. */
export async function proposeKind(job: number, based_on: number, kind: string): Promise<string[]> {
  const { key } = await answered(api.POST("/api/jobs/{job_id}/propose", { ...of(job), body: { based_on, kind } }));
  return (await resultOf<{ notes?: string[] }>(key)).notes ?? [];
}

/** Have the pieces of a job laid out; resolves to the job and those that were made for further boards. */
export const layOnBoards = (job: number, version: number, gap: number) =>
  answered(api.POST("/api/jobs/{job_id}/boards", { ...of(job), body: { based_on: version, gap } }));

/** The closed curves of an SVG or DXF file, from the low corner of the stock. */
export const readCurves = (file: File) =>
  sendFile<{ curves: [number, number][][]; notes: string[] }>(
    `/jobs/curves?name=${encodeURIComponent(file.name)}`,
    file,
    () => undefined,
    new AbortController().signal,
  );

export const proposeOperation = (job: number, strategy: string) =>
  answered(
    api.GET("/api/jobs/{job_id}/operation/{strategy}", { params: { path: { job_id: job, strategy } } }),
  ) as Promise<Operation>;

/** Take what a change answers for what is known under `key`: running queries are cancelled, as their answers may be older. */
const taken =
  <T>(client: QueryClient, key: [string, number]) =>
  async (answer: T) => {
    await client.cancelQueries({ queryKey: key });
    client.setQueryData(key, answer);
  };

type EditSent = { based_on: number; edit: PlanEdit; note: string };

/** What adds something can be added to whatever the job is by now, such as after a change in another window. */
async function sendEdit(id: number, body: EditSent): Promise<Job> {
  const send = (based_on: number): Promise<Job> =>
    answered(api.POST("/api/jobs/{job_id}/edit", { ...of(id), body: { ...body, based_on } })).then(asJob);
  return send(body.based_on).catch(async (reason: unknown) => {
    const stale = reason instanceof Refusal && reason.status === 409;
    if (!stale || !body.edit.do.startsWith("add_")) throw reason;
    return send((await readJob(id)).version);
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
        line.go(v.based_on, (based_on, before) => {
          const plan = before ? rebased(v.from, v.plan, before.plan) : v.plan;
          const body = { based_on, plan: { ...plan }, note: v.note };
          return answered(api.PUT("/api/jobs/{job_id}/plan", { ...of(id), body })).then(asJob);
        }),
    }),
    edit: useMutation({
      ...settle,
      mutationFn: (v: EditSent) => line.go(v.based_on, (based_on) => sendEdit(id, { ...v, based_on })),
    }),
    undo: useMutation({
      ...settle,
      mutationFn: (version: number) =>
        line.go(version, (based_on) =>
          answered(api.POST("/api/jobs/{job_id}/undo", { ...of(id), body: { based_on } })).then(asJob),
        ),
    }),
    redo: useMutation({
      ...settle,
      mutationFn: (version: number) =>
        line.go(version, (based_on) =>
          answered(api.POST("/api/jobs/{job_id}/redo", { ...of(id), body: { based_on } })).then(asJob),
        ),
    }),
    rename: useMutation({
      ...settle,
      mutationFn: (name: string) =>
        answered(api.PATCH("/api/jobs/{job_id}", { ...of(id), body: { name } })).then(asJob),
    }),
    calculate: useMutation({
      ...calculation,
      mutationFn: () => answered(api.POST("/api/jobs/{job_id}/calculate", of(id))),
    }),
    cancel: useMutation({
      ...calculation,
      mutationFn: () => answered(api.POST("/api/jobs/{job_id}/cancel", of(id))),
    }),
  };
}

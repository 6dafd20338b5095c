/** Server state of the job list, by page, and of deleted jobs. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { request } from "./client";
import type { DeletedListed, Job, JobPage } from "./types";

/** A page of the jobs whose names have the words that are looked for. */
export const useJobs = (page: number, find: string) =>
  useQuery({
    queryKey: ["jobs", page, find],
    queryFn: () => request<JobPage>(`/jobs?${new URLSearchParams({ page: String(page), find }).toString()}`),
    refetchInterval: 4000,
    placeholderData: keepPreviousData,
  });

export type DeletedKind = "job" | "cutter" | "post" | "machine";
const LISTS: Record<DeletedKind, string> = { job: "jobs", cutter: "cutters", post: "posts", machine: "machines" };

/** What was deleted of a kind, and bringing it back. */
export function useDeleted(kind: DeletedKind) {
  const client = useQueryClient();
  const { data, error } = useQuery({
    queryKey: ["deleted", kind],
    queryFn: () => request<DeletedListed[]>(`/deleted/${kind}`),
    staleTime: 0,
  });
  const bringBack = useMutation({
    mutationFn: (id: number) => request<undefined>(`/deleted/${kind}/${id}/restore`, "POST"),
    onSettled: () =>
      Promise.all([
        client.invalidateQueries({ queryKey: ["deleted", kind] }),
        client.invalidateQueries({ queryKey: [LISTS[kind]] }),
      ]),
  });
  return { data, error, bringBack };
}

export function useJobList() {
  const client = useQueryClient();
  const settle = { onSuccess: () => client.invalidateQueries({ queryKey: ["jobs"] }) };
  return {
    create: useMutation({
      ...settle,
      mutationFn: (v: { name: string; mesh?: number }) => request<Job>("/jobs", "POST", v),
    }),
    copy: useMutation({
      ...settle,
      mutationFn: (v: { id: number; name: string }) => request<Job>(`/jobs/${v.id}/copy`, "POST", { name: v.name }),
    }),
    remove: useMutation({ ...settle, mutationFn: (id: number) => request<undefined>(`/jobs/${id}`, "DELETE") }),
  };
}

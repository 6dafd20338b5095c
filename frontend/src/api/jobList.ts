/** Server state of the job list, by page, and of deleted jobs. */
import { keepPreviousData, useMutation, useQuery, useQueryClient } from "@tanstack/react-query";
import { answered, api } from "./client";
import { useLive } from "./events";
import type { components } from "./schema";
import { asJob } from "./types";

/** A page of the jobs whose names have the words that are looked for. */
export function useJobs(page: number, find: string) {
  const live = useLive();
  return useQuery({
    queryKey: ["jobs", page, find],
    queryFn: () => answered(api.GET("/api/jobs", { params: { query: { page, find } } })),
    refetchInterval: live ? 30_000 : 4000,
    placeholderData: keepPreviousData,
  });
}

/** How far the sample shop is, and having it made. */
export function useSampleShop() {
  const client = useQueryClient();
  const { data } = useQuery({
    queryKey: ["sample-shop"],
    queryFn: () => answered(api.GET("/api/sample-shop")),
    refetchInterval: (query) => (query.state.data && isUnderWay(query.state.data) ? 2000 : 30_000),
  });
  const make = useMutation({
    mutationFn: () => answered(api.POST("/api/sample-shop")),
    onSuccess: (found) => client.setQueryData(["sample-shop"], found),
  });
  return { data, make };
}

export type SampleShop = components["schemas"]["SampleShop"];

/** Whether jobs of the sample shop are still being made or calculated. */
export function isUnderWay(shop: SampleShop): boolean {
  return shop.state === "waiting" || shop.state === "making" || (shop.state === "made" && shop.finished < shop.made);
}

export type DeletedKind = "job" | "cutter" | "post" | "machine";
const LISTS: Record<DeletedKind, string> = { job: "jobs", cutter: "cutters", post: "posts", machine: "machines" };

/** What was deleted of a kind, and bringing it back. */
export function useDeleted(kind: DeletedKind) {
  const client = useQueryClient();
  const { data, error } = useQuery({
    queryKey: ["deleted", kind],
    queryFn: () => answered(api.GET("/api/deleted/{kind}", { params: { path: { kind } } })),
    staleTime: 0,
  });
  const bringBack = useMutation({
    mutationFn: (id: number) =>
      answered(api.POST("/api/deleted/{kind}/{row_id}/restore", { params: { path: { kind, row_id: id } } })),
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
      mutationFn: (v: { name: string; mesh?: number }) => answered(api.POST("/api/jobs", { body: v })).then(asJob),
    }),
    copy: useMutation({
      ...settle,
      mutationFn: (v: { id: number; name: string }) =>
        answered(
          api.POST("/api/jobs/{job_id}/copy", { params: { path: { job_id: v.id } }, body: { name: v.name } }),
        ).then(asJob),
    }),
    remove: useMutation({
      ...settle,
      mutationFn: (id: number) => answered(api.DELETE("/api/jobs/{job_id}", { params: { path: { job_id: id } } })),
    }),
  };
}

/** What belongs to the shop: cutters, shelf, machines, posts, times, storage; and what Nephos can do. */
import { useMutation, useQuery, useQueryClient, type QueryClient } from "@tanstack/react-query";
import { answered, api } from "./client";
import type { Cutter, CutterLook, Machine, Material, Piece, Post, Times } from "./types";

const settled = (client: QueryClient, queryKey: unknown[]) => ({
  onSuccess: () => client.invalidateQueries({ queryKey }),
});
const always = { staleTime: Infinity };

export const useCutters = () => useQuery({ queryKey: ["cutters"], queryFn: () => answered(api.GET("/api/cutters")) });

export const useStrategies = () =>
  useQuery({ queryKey: ["strategies"], queryFn: () => answered(api.GET("/api/cutters/strategies")), ...always });

export const useShapes = () =>
  useQuery({ queryKey: ["shapes"], queryFn: () => answered(api.GET("/api/cutters/shapes")), ...always });

export const useRepairs = () =>
  useQuery({ queryKey: ["repairs"], queryFn: () => answered(api.GET("/api/shelf/repairs")), ...always });

export const useFormats = () =>
  useQuery({ queryKey: ["formats"], queryFn: () => answered(api.GET("/api/shelf/formats")), ...always });

export function useCutterActions() {
  const client = useQueryClient();
  const settle = settled(client, ["cutters"]);
  return {
    save: useMutation({
      ...settle,
      mutationFn: (v: { id: number | null; data: Cutter }) => {
        const body = { data: { ...v.data } };
        return v.id === null
          ? answered(api.POST("/api/cutters", { body }))
          : answered(api.PUT("/api/cutters/{cutter_id}", { params: { path: { cutter_id: v.id } }, body }));
      },
    }),
    remove: useMutation({
      ...settle,
      mutationFn: (id: number) =>
        answered(api.DELETE("/api/cutters/{cutter_id}", { params: { path: { cutter_id: id } } })),
    }),
    bring: useMutation({
      ...settle,
      mutationFn: (v: { name: string; text: string; clash: "ask" | "replace" | "renumber" | "leave" }) =>
        answered(api.POST("/api/cutters/import", { body: v })),
    }),
  };
}

/** What the server says of a cutter that is being typed; the last answer stays until the next is there. */
export const useCutterLook = (data: Cutter, material: Material | null, units: "mm" | "in") =>
  useQuery({
    queryKey: ["cutter look", data, material, units],
    placeholderData: (last: CutterLook | undefined) => last,
    gcTime: 10_000,
    queryFn: () =>
      answered(
        api.POST("/api/cutters/look", {
          body: { data: { ...data }, material: material && { ...material }, units, machine: "shed-router" },
        }),
      ),
  });

export const useMaterials = () =>
  useQuery({ queryKey: ["materials"], queryFn: () => answered(api.GET("/api/shelf/materials")) });

export const usePieces = () =>
  useQuery({ queryKey: ["pieces"], queryFn: () => answered(api.GET("/api/shelf/pieces")) });

/** Something to be kept: under its row, or anew. */
export interface ToKeep<T> {
  id: number | null;
  data: T;
}

export function useMaterialActions() {
  const client = useQueryClient();
  const settle = settled(client, ["materials"]);
  return {
    save: useMutation({
      ...settle,
      mutationFn: ({ id, data }: ToKeep<Material>) => {
        const body = { data: { ...data } };
        return id === null
          ? answered(api.POST("/api/shelf/materials", { body }))
          : answered(api.PUT("/api/shelf/materials/{row_id}", { params: { path: { row_id: id } }, body }));
      },
    }),
    remove: useMutation({
      ...settle,
      mutationFn: (id: number) =>
        answered(api.DELETE("/api/shelf/materials/{row_id}", { params: { path: { row_id: id } } })),
    }),
  };
}

export function usePieceActions() {
  const client = useQueryClient();
  const settle = settled(client, ["pieces"]);
  return {
    save: useMutation({
      ...settle,
      mutationFn: ({ id, data }: ToKeep<Piece>) => {
        const body = { data: { ...data } };
        return id === null
          ? answered(api.POST("/api/shelf/pieces", { body }))
          : answered(api.PUT("/api/shelf/pieces/{row_id}", { params: { path: { row_id: id } }, body }));
      },
    }),
    remove: useMutation({
      ...settle,
      mutationFn: (id: number) =>
        answered(api.DELETE("/api/shelf/pieces/{row_id}", { params: { path: { row_id: id } } })),
    }),
  };
}

export const usePosts = () => useQuery({ queryKey: ["posts"], queryFn: () => answered(api.GET("/api/posts")) });

export function usePostActions() {
  const client = useQueryClient();
  const settle = settled(client, ["posts"]);
  return {
    save: useMutation({
      ...settle,
      mutationFn: (v: { key: string | null; data: Post }) => {
        const body = { data: { ...v.data } };
        return v.key === null
          ? answered(api.POST("/api/posts", { body }))
          : answered(api.PUT("/api/posts/{key}", { params: { path: { key: v.key } }, body }));
      },
    }),
    remove: useMutation({
      ...settle,
      mutationFn: (key: string) => answered(api.DELETE("/api/posts/{key}", { params: { path: { key } } })),
    }),
  };
}

/** What a post that is being typed would write; the last answer stays until the next is there. */
export const usePostPreview = (data: Post) =>
  useQuery({
    queryKey: ["post preview", data],
    placeholderData: (last: { text: string; problem: string } | undefined) => last,
    gcTime: 10_000,
    queryFn: () => answered(api.POST("/api/posts/preview", { body: { data: { ...data } } })),
  });

export const useMachines = () =>
  useQuery({ queryKey: ["machines"], queryFn: () => answered(api.GET("/api/machines")) });

export function useMachineActions() {
  const client = useQueryClient();
  const settle = settled(client, ["machines"]);
  return {
    save: useMutation({
      ...settle,
      mutationFn: (v: { key: string | null; data: Machine }) => {
        const body = { data: { ...v.data } };
        return v.key === null
          ? answered(api.POST("/api/machines", { body }))
          : answered(api.PUT("/api/machines/{key}", { params: { path: { key: v.key } }, body }));
      },
    }),
    remove: useMutation({
      ...settle,
      mutationFn: (key: string) => answered(api.DELETE("/api/machines/{key}", { params: { path: { key } } })),
    }),
  };
}

export function useTimes(machine: string, job: number, open: boolean) {
  const client = useQueryClient();
  const of = { params: { path: { machine } } };
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
      queryFn: () => answered(api.GET("/api/times/{machine}", of)),
    }),
    enter: useMutation({
      ...settle,
      mutationFn: (v: { job: string; calculated: number; real: number }) =>
        answered(api.POST("/api/times/{machine}", { ...of, body: v })),
    }),
    remove: useMutation({
      ...settle,
      mutationFn: (id: number) =>
        answered(api.DELETE("/api/times/{machine}/{row_id}", { params: { path: { machine, row_id: id } } })),
    }),
  };
}

/** Room for calculated results, in megabytes. */
export function useStorage() {
  const client = useQueryClient();
  const { data } = useQuery({
    queryKey: ["storage"],
    queryFn: () => answered(api.GET("/api/storage")),
    staleTime: 10_000,
  });
  const change = useMutation({
    mutationFn: (limit: number) => answered(api.PUT("/api/storage", { body: { limit } })),
    onSuccess: (found) => client.setQueryData(["storage"], found),
  });
  return { data, change };
}

/** Built-up reliefs: what can be entered, previews, sections, and what a cutter leaves. */
import { useQuery } from "@tanstack/react-query";
import { readPreview, readReach, type Spot } from "../lib/relief";
import { answered, api, bytesOf } from "./client";
import type { Composition, Cutter, ReliefSection } from "./types";

/** What can be chosen and entered for a piece of a relief. */
export const useReliefForms = () =>
  useQuery({ queryKey: ["relief forms"], queryFn: () => answered(api.GET("/api/reliefs/forms")), staleTime: Infinity });

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
  readPreview(
    await bytesOf(
      api.POST("/api/reliefs/jobs/{job_id}/preview", {
        params: { path: { job_id: job } },
        body: { model, composition },
        parseAs: "arrayBuffer",
      }),
    ),
  );

/** A section through a relief, and what a cutter leaves in it. */
export const useReliefSection = (composition: Composition, ends: [Spot, Spot] | null, cutter: Cutter | null) =>
  useQuery({
    queryKey: ["relief section", composition, ends, cutter],
    enabled: ends !== null,
    placeholderData: (last: ReliefSection | undefined) => last,
    gcTime: 10_000,
    retry: false,
    queryFn: () => {
      const [start, end] = ends as [Spot, Spot];
      return answered(api.POST("/api/reliefs/section", { body: { composition, start, end, cutter } }));
    },
  });

/** What a cutter leaves of a whole relief. */
export const useReliefReach = (composition: Composition | null, cutter: Cutter | null) =>
  useQuery({
    queryKey: ["relief reach", composition, cutter],
    enabled: composition !== null && cutter !== null,
    gcTime: 20_000,
    staleTime: 60_000,
    retry: false,
    queryFn: async () => {
      const body = { composition: composition as Composition, cutter: cutter as Cutter };
      return readReach(await bytesOf(api.POST("/api/reliefs/reach", { body, parseAs: "arrayBuffer" })));
    },
  });

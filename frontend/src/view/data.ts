/** Loads what the view draws: moves and block changes of each operation that is up to date. */
import { useQueries } from "@tanstack/react-query";
import { useMemo } from "react";
import { loadArray, request } from "../api/client";
import type { Foreign, GridFacts, Operation, SetupInfo } from "../api/types";
import type { Frames } from "../lib/frames";

export interface OperationData {
  number: number; points: Float32Array; kinds: Uint8Array; ends: Float64Array; feeds: Float32Array;
  seconds: number; frames: Frames; grid: GridFacts;
}

async function loadOperation(number: number, moves: string, frames: string): Promise<OperationData> {
  const [points, kinds, seconds, feeds, start, moment, height, facts] = await Promise.all([
    loadArray<Float64Array>(moves, "points"), loadArray<Uint8Array>(moves, "kinds"), loadArray<Float64Array>(moves, "seconds"),
    loadArray<Float32Array>(moves, "feeds"), loadArray<Int32Array>(frames, "start"), loadArray<Uint16Array>(frames, "moment"),
    loadArray<Float32Array>(frames, "height"), request<{ facts: GridFacts & { moments: number } }>(`/results/${frames}/facts`),
  ]);
  let total = 0;
  const ends = seconds.data.map((value) => (total += value));
  return {
    number, points: Float32Array.from(points.data), kinds: kinds.data, ends, feeds: feeds.data, seconds: total,
    frames: { start: start.data, moment: moment.data, height: height.data, moments: facts.facts.moments }, grid: facts.facts,
  };
}

/** The leading operations of the setup that are up to date, in order: what can be shown cut. */
export function useOperationData(operations: Operation[], info: SetupInfo | undefined): OperationData[] {
  const ready: { operation: Operation; moves: string; frames: string }[] = [];
  for (const operation of operations.filter((item) => item.on)) {
    const keys = info?.operations.find((item) => item.number === operation.number)?.keys;
    if (!keys) break;
    ready.push({ operation, ...keys });
  }
  const loaded = useQueries({
    queries: ready.map(({ operation, moves, frames }) => ({
      queryKey: ["operation", moves, frames], queryFn: () => loadOperation(operation.number, moves, frames), staleTime: Infinity, gcTime: 120_000,
    })),
    combine: (results) => results.map((result) => result.data),
  });
  return useMemo(() => {
    const found: OperationData[] = [];
    for (const [k, data] of loaded.entries()) {
      const operation = ready[k]?.operation;
      if (!data || !operation) break;
      found.push({ ...data, number: operation.number });
    }
    return found;
    // eslint-disable-next-line react-hooks/exhaustive-deps
  }, [loaded, operations]);
}

/** The moves of a program from a file, cutter by cutter. */
export function useForeignData(proof: Foreign | null): OperationData[] {
  const parts = proof?.parts ?? [];
  const loaded = useQueries({
    queries: parts.map(({ number, moves, frames }) => ({ queryKey: ["operation", moves, frames], queryFn: () => loadOperation(number, moves, frames), staleTime: Infinity, gcTime: 120_000 })),
    combine: (results) => results.map((result) => result.data),
  });
  return useMemo(() => (loaded.every(Boolean) ? (loaded as OperationData[]) : []), [loaded]);
}

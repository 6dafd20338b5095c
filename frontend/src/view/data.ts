/** Loads what the view draws: moves and block changes of each operation that is up to date. */
import { useQueries } from "@tanstack/react-query";
import { useMemo } from "react";
import { loadArray } from "../api/client";
import { framesOf } from "../api/results";
import type { ExternalProgram, GridFacts, SetupInfo } from "../api/types";
import type { Frames } from "../lib/frames";

export interface OperationData {
  number: number;
  points: Float32Array;
  kinds: Uint8Array;
  ends: Float64Array;
  feeds: Float32Array;
  seconds: number;
  frames: Frames;
  grid: GridFacts;
}

async function loadOperation(number: number, moves: string, frames: string): Promise<OperationData> {
  const [points, kinds, seconds, feeds, start, moment, height, facts] = await Promise.all([
    loadArray<Float64Array>(moves, "points"),
    loadArray<Uint8Array>(moves, "kinds"),
    loadArray<Float64Array>(moves, "seconds"),
    loadArray<Float32Array>(moves, "feeds"),
    loadArray<Int32Array>(frames, "start"),
    loadArray<Uint16Array>(frames, "moment"),
    loadArray<Float32Array>(frames, "height"),
    framesOf(frames),
  ]);
  let total = 0;
  const ends = seconds.data.map((value) => (total += value));
  return {
    number,
    points: Float32Array.from(points.data),
    kinds: kinds.data,
    ends,
    feeds: feeds.data,
    seconds: total,
    frames: { start: start.data, moment: moment.data, height: height.data, moments: facts.moments },
    grid: facts,
  };
}

/** The leading operations of the setup that are up to date, in order, finer cutters apart: what can be shown cut. */
export function useOperationData(info: SetupInfo | undefined): OperationData[] {
  const ready: { number: number; moves: string; frames: string }[] = [];
  for (const item of info?.operations ?? []) {
    if (item.state === "off") continue;
    if (!item.keys) break;
    ready.push({ number: item.number, ...item.keys });
  }
  const loaded = useLoaded(ready);
  return useMemo(() => {
    const end = loaded.findIndex((item) => !item);
    return (end < 0 ? loaded : loaded.slice(0, end)) as OperationData[];
  }, [loaded]);
}

function useLoaded(wanted: { number: number; moves: string; frames: string }[]): (OperationData | undefined)[] {
  return useQueries({
    queries: wanted.map(({ number, moves, frames }) => ({
      queryKey: ["operation", number, moves, frames],
      queryFn: () => loadOperation(number, moves, frames),
      staleTime: Infinity,
      gcTime: 120_000,
    })),
    combine: (results) => results.map((result) => result.data),
  });
}

/** The moves of a program from a file, cutter by cutter. */
export function useExternalData(proof: ExternalProgram | null): OperationData[] {
  const loaded = useLoaded(proof?.parts ?? []);
  return useMemo(() => (loaded.every(Boolean) ? (loaded as OperationData[]) : []), [loaded]);
}

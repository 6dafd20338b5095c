/** What is known is read anew when an event of the server makes it out of date. */
import type { QueryClient } from "@tanstack/react-query";
import { listen, type ServerEvent } from "./events";
import type { Derived, Job } from "./types";

/** Milliseconds between two readings of one thing: progress comes in small steps. */
export const PACE = 250;

/** Whether workers are still reading or repairing a mesh, drawing a boundary, or looking at the ground for the estimates. */
export function isWorkedOn(derived: Derived): boolean {
  const models = Object.values(derived.models);
  return (
    models.some((model) => model.state === "working" || model.state === "reading") ||
    (models.length > 0 && derived.setups.some((setup) => !setup.drawn || Object.values(setup.outlines).includes(null)))
  );
}

/** Keys of the queries that an event makes out of date. A version that is known already makes none. */
export function staleKeys(client: QueryClient, event: ServerEvent): unknown[][] {
  switch (event.kind) {
    case "job": {
      const known = client.getQueryData<Job>(["job", event.id]);
      return known && known.version >= (event.version ?? 0) ? [["jobs"]] : [["job", event.id], ["jobs"]];
    }
    case "calculation":
      return [["calculation", event.id]];
    case "results":
      return client
        .getQueriesData<Job>({ queryKey: ["job"] })
        .filter(([, job]) => job && isWorkedOn(job.derived))
        .map(([key]) => [...key]);
    case "all":
      return [["job"], ["jobs"], ["calculation"]];
    case "mesh":
      return [];
  }
}

/** Follow the events of the server; ends with the function that is given back. */
export function followEvents(client: QueryClient): () => void {
  const waiting = new Map<string, ServerEvent>();
  let timer: ReturnType<typeof setTimeout> | null = null;
  const read = () => {
    timer = null;
    const keys = [...waiting.values()].flatMap((event) => staleKeys(client, event));
    waiting.clear();
    for (const queryKey of keys) void client.invalidateQueries({ queryKey }, { cancelRefetch: false });
  };
  const stop = listen((event) => {
    // The answer to a change that this window made comes at about the same time: it is waited for.
    waiting.set(`${event.kind} ${event.id}`, event);
    timer ??= setTimeout(read, PACE);
  });
  return () => {
    stop();
    if (timer) clearTimeout(timer);
  };
}

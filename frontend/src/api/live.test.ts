import { QueryClient } from "@tanstack/react-query";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { hear, isLive, nextEvent } from "./events";
import { followEvents, PACE, staleKeys } from "./live";
import type { Job } from "./types";

const job = (version: number, state = "ready") =>
  ({ version, derived: { models: { m1: { state } }, setups: [] } }) as unknown as Job;

describe("an event of the server", () => {
  it("makes a job that another window changed be read anew", () => {
    const client = new QueryClient();
    client.setQueryData(["job", 4], job(7));
    expect(staleKeys(client, { kind: "job", id: 4, version: 8 })).toEqual([["job", 4], ["jobs"]]);
    expect(staleKeys(client, { kind: "job", id: 4, version: 7 })).toEqual([["jobs"]]);
  });
  it("says that results are there: jobs that wait for some are read anew, and no others", () => {
    const client = new QueryClient();
    client.setQueryData(["job", 4], job(7, "working"));
    client.setQueryData(["job", 5], job(7));
    expect(staleKeys(client, { kind: "results", id: 0 })).toEqual([["job", 4]]);
  });
  it("may stand for lost ones: all is read anew", () => {
    expect(staleKeys(new QueryClient(), { kind: "all", id: 0 })).toEqual([["job"], ["jobs"], ["calculation"]]);
    expect(staleKeys(new QueryClient(), { kind: "calculation", id: 3 })).toEqual([["calculation", 3]]);
  });
});

describe("many events at a time", () => {
  beforeEach(() => vi.useFakeTimers());
  afterEach(() => vi.useRealTimers());
  it("are one reading", () => {
    const client = new QueryClient();
    const read = vi.spyOn(client, "invalidateQueries");
    const stop = followEvents(client);
    for (let k = 0; k < 50; k++) hear({ event: { kind: "calculation", id: 3 } });
    expect(read).not.toHaveBeenCalled();
    vi.advanceTimersByTime(PACE);
    expect(read).toHaveBeenCalledTimes(1);
    stop();
    hear({ event: { kind: "calculation", id: 3 } });
    vi.advanceTimersByTime(PACE);
    expect(read).toHaveBeenCalledTimes(1);
  });
  it("end a wait at the first of their kind, or when the time is over", async () => {
    const done = vi.fn();
    void nextEvent("results", 2000).then(done);
    hear({ event: { kind: "mesh", id: 1 } });
    await vi.advanceTimersByTimeAsync(10);
    expect(done).not.toHaveBeenCalled();
    hear({ event: { kind: "results", id: 0 } });
    await vi.advanceTimersByTimeAsync(0);
    expect(done).toHaveBeenCalledTimes(1);
    void nextEvent("results", 2000).then(done);
    await vi.advanceTimersByTimeAsync(2000);
    expect(done).toHaveBeenCalledTimes(2);
  });
  it("say that the stream is there", () => {
    hear({ alive: false });
    expect(isLive()).toBe(false);
    hear({ event: { kind: "results", id: 0 } });
    expect(isLive()).toBe(true);
  });
});

// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { describe, expect, it } from "vitest";
import { answer, serve, type Asked } from "../testing/server";
import { useJob, useJobActions } from "./jobs";
import type { FullPlan } from "./types";

const job = (version: number) => ({ version, derived: { models: {}, setups: [] } });

/** A server that answers when it is told to, in whatever order. */
function server() {
  const asked: { what: string; based: unknown; answer: (body: unknown) => void }[] = [];
  serve(
    ({ what, body }) =>
      new Promise((resolve) => {
        asked.push({ what, based: body?.["based_on"], answer: (document) => resolve(answer(document)) });
      }),
  );
  return asked;
}

const later = () =>
  new Promise((next) => {
    setTimeout(next, 0);
  });

describe("a change of a job", () => {
  it("is not forgotten for what was asked for before it and comes after", async () => {
    const asked = server(),
      client = new QueryClient();
    const inPage = (props: { children: ReactNode }) => (
      <QueryClientProvider client={client}>{props.children}</QueryClientProvider>
    );
    const { result } = renderHook(() => ({ job: useJob(4), actions: useJobActions(4) }), { wrapper: inPage });
    await waitFor(() => expect(asked).toHaveLength(1));
    asked[0]?.answer(job(1));
    await waitFor(() => expect(result.current.job.data?.version).toBe(1));
    act(() => {
      void result.current.job.refetch();
    });
    act(() => {
      result.current.actions.undo.mutate(1);
    });
    await waitFor(() =>
      expect(asked.map((item) => item.what)).toEqual(["GET /api/jobs/4", "GET /api/jobs/4", "POST /api/jobs/4/undo"]),
    );
    expect(asked[2]?.based).toBe(1);
    await act(async () => {
      asked[2]?.answer(job(2));
      await later();
    });
    await waitFor(() => expect(result.current.job.data?.version).toBe(2));
    await act(async () => {
      asked[1]?.answer(job(1));
      await later();
      await later();
    });
    expect(result.current.job.data?.version).toBe(2);
  });

  it("carries a whole plan that had to wait over to what the edit before it led to", async () => {
    const sent: Asked[] = [];
    const answers: ((body: unknown) => void)[] = [];
    serve(
      (asked) =>
        new Promise((resolve) => {
          sent.push(asked);
          answers.push((body) => resolve(answer(body)));
        }),
    );
    const client = new QueryClient();
    const inPage = (props: { children: ReactNode }) => (
      <QueryClientProvider client={client}>{props.children}</QueryClientProvider>
    );
    const { result } = renderHook(() => useJobActions(5), { wrapper: inPage });
    const setup = (id: string) => ({ id, operations: [] });
    const from = { units: "mm", setups: [setup("a")] } as unknown as FullPlan;
    const plan = { ...from, units: "in" } as FullPlan;
    act(() => {
      result.current.edit.mutate({ based_on: 1, edit: { do: "add_setup" }, note: "" });
      result.current.write.mutate({ based_on: 1, from, plan, note: "" });
    });
    await waitFor(() => expect(sent).toHaveLength(1));
    await act(async () => {
      answers[0]?.({ ...job(2), plan: { units: "mm", setups: [setup("a"), setup("b")] } });
      await later();
    });
    await waitFor(() => expect(sent).toHaveLength(2));
    expect(sent[1]?.body).toMatchObject({
      based_on: 2,
      plan: { units: "in", setups: [setup("a"), setup("b")] },
    });
  });

  it("sends what adds something once more after a change in another window, and nothing else", async () => {
    const sent: string[] = [];
    serve(({ what, body }) => {
      const based = Number(body?.["based_on"] ?? 0);
      sent.push(`${what} ${based}`);
      const stale = what.startsWith("POST") && based < 9;
      return stale ? answer({ message: "changed in another window" }, 409) : answer(job(9));
    });
    const client = new QueryClient();
    const inPage = (props: { children: ReactNode }) => (
      <QueryClientProvider client={client}>{props.children}</QueryClientProvider>
    );
    const { result } = renderHook(() => useJobActions(6), { wrapper: inPage });
    await act(() => result.current.edit.mutateAsync({ based_on: 3, edit: { do: "add_setup" }, note: "" }));
    expect(sent).toEqual(["POST /api/jobs/6/edit 3", "GET /api/jobs/6 0", "POST /api/jobs/6/edit 9"]);
    await act(() =>
      expect(result.current.edit.mutateAsync({ based_on: 3, edit: { do: "turn_job" }, note: "" })).rejects.toThrow(
        "another window",
      ),
    );
  });
});

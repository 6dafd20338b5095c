// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { act, renderHook, waitFor } from "@testing-library/react";
import type { ReactNode } from "react";
import { describe, expect, it, vi } from "vitest";
import { useJob, useJobActions } from "./hooks";

const job = (version: number) => ({ version, derived: { models: {}, setups: [] } });

/** A server that answers when it is told to, in whatever order. */
function server() {
  const asked: { what: string; based: number | undefined; answer: (body: unknown) => void }[] = [];
  vi.stubGlobal(
    "fetch",
    (path: string, sent: { method: string; body: string | null }) =>
      new Promise((resolve) => {
        asked.push({
          what: `${sent.method} ${path}`,
          based: sent.body ? (JSON.parse(sent.body) as { based_on: number }).based_on : undefined,
          answer: (body) => resolve({ ok: true, status: 200, json: () => Promise.resolve(body) }),
        });
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
});

// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { show } from "../testing/render";
import { Deleted } from "./Deleted";

afterEach(() => vi.unstubAllGlobals());

it("lists what was deleted and brings it back", async () => {
  let rows = [{ kind: "job", id: 7, name: "Heron", deleted: "2026-11-20T10:00:00Z", gone: "2026-12-20T10:00:00Z" }];
  const asked: string[] = [];
  vi.stubGlobal("fetch", (address: string, init?: RequestInit) => {
    asked.push(`${init?.method ?? "GET"} ${address}`);
    if (init?.method === "POST") {
      rows = [];
      return Promise.resolve(new Response(null, { status: 204 }));
    }
    return Promise.resolve(new Response(JSON.stringify(rows), { headers: { "Content-Type": "application/json" } }));
  });
  show(
    <QueryClientProvider client={new QueryClient()}>
      <Deleted kind="job" />
    </QueryClientProvider>,
  );
  fireEvent.click(screen.getByText("Deleted…"));
  await screen.findByText("Heron");
  expect(screen.getByText(/deleted 20 Nov 2026, kept until 20 Dec 2026/)).toBeTruthy();
  fireEvent.click(screen.getByLabelText("Bring back Heron"));
  await waitFor(() => expect(screen.queryByText("Heron")).toBeNull());
  expect(asked).toContain("POST /api/deleted/job/7/restore");
  await screen.findByText(/No deleted jobs/);
});

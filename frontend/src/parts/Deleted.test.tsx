// @vitest-environment jsdom
import { fireEvent, screen, waitFor } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { show } from "../testing/render";
import { answer, serve } from "../testing/server";
import { Deleted } from "./Deleted";

afterEach(() => vi.unstubAllGlobals());

it("lists what was deleted and brings it back", async () => {
  let rows = [{ kind: "job", id: 7, name: "Heron", deleted: "2026-11-20T10:00:00Z", gone: "2026-12-20T10:00:00Z" }];
  const asked: string[] = [];
  serve(({ what }) => {
    asked.push(what);
    if (what.startsWith("POST")) {
      rows = [];
      return answer(undefined);
    }
    return answer(rows);
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

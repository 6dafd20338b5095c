// @vitest-environment jsdom
import { screen, waitFor } from "@testing-library/react";
import { afterEach, expect, it, vi } from "vitest";
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { show } from "../testing/render";
import { Trouble, troubleNow } from "./Trouble";

afterEach(() => vi.unstubAllGlobals());
const answers = (problem: string, status = problem ? 503 : 200) =>
  vi.stubGlobal(
    "fetch",
    vi.fn(() => Promise.resolve(new Response(JSON.stringify({ problem }), { status }))),
  );

it("says what Nephos says of itself, and that it does not answer", async () => {
  answers("no worker runs");
  expect(await troubleNow()).toBe("no worker runs");
  vi.stubGlobal(
    "fetch",
    vi.fn(() => Promise.reject(new Error("refused"))),
  );
  expect(await troubleNow()).toMatch(/does not answer/);
});
it("shows a line while there is trouble, and none while there is not", async () => {
  answers("the database does not answer: it is started again");
  show(
    <QueryClientProvider client={new QueryClient()}>
      <Trouble />
    </QueryClientProvider>,
  );
  await waitFor(() => expect(screen.getByRole("alert").textContent).toContain("the database does not answer"));
});

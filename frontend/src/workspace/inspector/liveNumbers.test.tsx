// @vitest-environment jsdom
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import { screen } from "@testing-library/react";
import { describe, expect, it } from "vitest";
import type { Derived, FullPlan, Operation } from "../../api/types";
import { showInSheet } from "../../testing/render";
import type { Sheet } from "../state";
import { OperationSettings } from "./OperationSettings";

const operation = {
  number: 10,
  strategy: "finish_raster",
  cutter: { name: "3 mm ball", diameter: 3, feed: 1800, plunge_feed: 600, spindle: 18000 },
  settings: {},
  boundary: { boundary: "box", contain: "centre", offset: 0 },
} as unknown as Operation;
const plan = { setups: [{ operations: [operation] }], stock: {} } as unknown as FullPlan;
const derived = {
  setups: [
    {
      operations: [
        {
          number: 10,
          estimate: { scallop: 0.008, seconds: 75, lines: 120, layers: 0 },
          feeds: { own: [], kept: [], sum: "", proposed_sum: "", proposed: {} },
        },
      ],
    },
  ],
} as unknown as Derived;

function shown(more: Partial<Sheet>) {
  const client = new QueryClient({ defaultOptions: { queries: { staleTime: Infinity } } });
  client.setQueryData(
    ["strategies"],
    [{ key: "finish_raster", title: "Finish, raster", summary: "", shapes: [], schema: { properties: {} } }],
  );
  client.setQueryData(["cutters"], []);
  showInSheet(
    <QueryClientProvider client={client}>
      <OperationSettings operation={operation} />
    </QueryClientProvider>,
    plan,
    { derived, ...more },
  );
  return screen.getByText("time, about").closest("dl") as HTMLElement;
}

describe("the numbers of an operation", () => {
  it("stay in sight, and say that they are being worked out, while there is no answer to what is typed", () => {
    const numbers = shown({ looking: true });
    expect(numbers.getAttribute("aria-busy")).toBe("true");
    expect(numbers.textContent).toContain("120");
  });

  it("are not busy once the answer is there", () => {
    expect(shown({ looking: false }).getAttribute("aria-busy")).toBe("false");
  });
});

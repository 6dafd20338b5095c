/** Shows a whole page for tests, with a server that has some documents and notes what it is asked to change. */
import { QueryClient, QueryClientProvider } from "@tanstack/react-query";
import type { ReactNode } from "react";
import { MemoryRouter } from "react-router";
import { show } from "./render";
import { answer, serve, type Asked } from "./server";

export type Documents = Record<string, unknown>;

/**
 * `documents` are what the server answers, by method and address. A change is answered by its own document, or by nothing
 * at all. What was asked besides GET is noted.
 */
export function showPage(page: ReactNode, documents: Documents) {
  const changes: Asked[] = [];
  serve((asked) => {
    if (!asked.what.startsWith("GET")) changes.push(asked);
    const document = documents[asked.what];
    if (document instanceof Response) return document.clone();
    return asked.what.startsWith("GET") && document === undefined ? answer({ message: "gone" }, 404) : answer(document);
  });
  const client = new QueryClient({ defaultOptions: { queries: { retry: false } } });
  const shown = show(
    <QueryClientProvider client={client}>
      <MemoryRouter>{page}</MemoryRouter>
    </QueryClientProvider>,
  );
  return { ...shown, changes };
}

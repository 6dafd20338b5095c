/** A server for tests: answers what the page asks for. */
import { vi } from "vitest";

export interface Asked {
  /** Method and address. */
  what: string;
  /** The document that was sent; none with it. */
  body: Record<string, unknown> | null;
}

/** An answer: a document, or nothing at all where it is undefined. */
export const answer = (document: unknown, status = document === undefined ? 204 : 200): Response =>
  new Response(document === undefined ? null : JSON.stringify(document), {
    status,
    headers: { "Content-Type": "application/json" },
  });

/** Let `reply` answer all requests of the page. */
export function serve(reply: (asked: Asked) => Response | Promise<Response>): void {
  vi.stubGlobal("fetch", async (request: Request) => {
    const text = await request.text();
    const { pathname, search } = new URL(request.url);
    return reply({ what: `${request.method} ${pathname}${search}`, body: text ? JSON.parse(text) : null });
  });
}

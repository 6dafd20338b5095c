/** Requests to the server, typed by its OpenAPI document. A refusal becomes an Error with the server's own sentence. */
import createClient, { type Middleware } from "openapi-fetch";
import type { paths } from "./schema";

export class Refusal extends Error {
  constructor(
    message: string,
    readonly status: number,
  ) {
    super(message);
  }
}

const LOST = "the connection to Nephos is lost: is it still running? Nothing that was saved is lost";

function csrf(): Record<string, string> {
  const token = /(?:^|; )csrftoken=([^;]+)/.exec(document.cookie)?.[1];
  return token ? { "X-CSRFToken": token } : {};
}

async function refusalOf(response: Response): Promise<Refusal> {
  const body = (await response.json().catch(() => ({}))) as { message?: string; detail?: string };
  return new Refusal(body.message ?? body.detail ?? `the server answered with ${response.status}`, response.status);
}

const plainly: Middleware = {
  onRequest({ request }) {
    for (const [name, value] of Object.entries(csrf())) request.headers.set(name, value);
    return request;
  },
  async onResponse({ response }) {
    if (!response.ok) throw await refusalOf(response);
  },
  onError() {
    return new Refusal(LOST, 0);
  },
};

/** The server's API: `api.GET("/api/jobs/{job_id}", …)`. */
export const api = createClient<paths>({
  baseUrl: globalThis.location?.origin ?? "",
  fetch: (request) => fetch(request),
});
api.use(plainly);

/** What a request answers; nothing where the answer has no body. */
export async function answered<T>(request: Promise<{ data?: T }>): Promise<T> {
  return (await request).data as T;
}

/** Bytes that answer a request whose answer has no type. */
export const bytesOf = (request: Promise<{ data?: unknown }>): Promise<ArrayBuffer> =>
  answered(request) as Promise<ArrayBuffer>;

export type Typed = BigInt64Array | Float32Array | Float64Array | Int32Array | Uint16Array | Uint8Array;
const KINDS: Record<string, new (data: ArrayBuffer) => Typed> = {
  "<f4": Float32Array,
  "<i8": BigInt64Array,
  "<f8": Float64Array,
  "<i4": Int32Array,
  "<u2": Uint16Array,
  "|u1": Uint8Array,
};

export interface Loaded<T extends Typed> {
  data: T;
  shape: number[];
}

/** One array of a result, as it lies in the store. */
export async function loadArray<T extends Typed>(key: string, name: string): Promise<Loaded<T>> {
  const response = await fetch(`/api/results/${key}/array/${name}`).catch(() => {
    throw new Refusal(LOST, 0);
  });
  if (!response.ok) throw await refusalOf(response);
  const kind = KINDS[response.headers.get("X-Dtype") ?? ""];
  if (!kind) throw new Refusal(`an array of an unknown kind came: ${name}`, 500);
  const shape = (response.headers.get("X-Shape") ?? "").split(",").map(Number);
  return { data: new kind(await response.arrayBuffer()) as T, shape };
}

/** Send a file with progress (0 to 1). */
export function sendFile<T>(path: string, file: File, told: (share: number) => void, stop: AbortSignal): Promise<T> {
  return new Promise((resolve, reject) => {
    const wire = new XMLHttpRequest();
    wire.open("POST", `/api${path}`);
    for (const [name, value] of Object.entries(csrf())) wire.setRequestHeader(name, value);
    wire.setRequestHeader("Content-Type", "application/octet-stream");
    wire.setRequestHeader("X-Filename", encodeURIComponent(file.name));
    wire.upload.onprogress = (event) => told(event.loaded / Math.max(event.total, 1));
    wire.onerror = () => reject(new Refusal(LOST, 0));
    wire.onabort = () => reject(new Refusal("importing the mesh was cancelled", 0));
    wire.onload = () => {
      const body = JSON.parse(wire.responseText || "{}") as T & { message?: string };
      if (wire.status < 300) resolve(body);
      else reject(new Refusal(body.message ?? `the server answered with ${wire.status}`, wire.status));
    };
    stop.addEventListener("abort", () => wire.abort());
    wire.send(file);
  });
}

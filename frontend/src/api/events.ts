/**
 * What the server says by its event stream: new revisions, progress, read meshes, results.
 *
 * A browser keeps six connections to one server, for all its windows. So one window alone holds the stream (it has the
 * lock), and passes each event on to the others. Where there is no stream, pages ask now and then instead.
 */
import { useSyncExternalStore } from "react";

export interface ServerEvent {
  kind: "job" | "calculation" | "mesh" | "results" | "all";
  id: number;
  /** Of a job. */
  version?: number;
}
type Heard = (event: ServerEvent) => void;
type Message = { event: ServerEvent } | { alive: boolean };

const NAME = "nephos-events";
/** Milliseconds without a sign of life after which a stream counts as lost. */
export const SILENCE = 30_000;

const listeners = new Set<Heard>();
const watchers = new Set<() => void>();
let alive = false;
let last = 0;

function setAlive(now: boolean): void {
  if (now) last = Date.now();
  if (alive === now) return;
  alive = now;
  watchers.forEach((watch) => watch());
}

/** Give an event of the stream to all that listen in this window. */
export function hear(message: Message): void {
  if ("alive" in message) {
    setAlive(message.alive);
    return;
  }
  setAlive(true);
  listeners.forEach((heard) => heard(message.event));
}

/** Be told of events; ends with the function that is given back. */
export function listen(heard: Heard): () => void {
  listeners.add(heard);
  return () => void listeners.delete(heard);
}

/** Resolves at the next event of a kind, or after some milliseconds: events may be lost. */
export function nextEvent(kind: ServerEvent["kind"], within: number): Promise<void> {
  return new Promise((resolve) => {
    const done = () => {
      clearTimeout(timer);
      stop();
      resolve();
    };
    const timer = setTimeout(done, within);
    const stop = listen((event) => {
      if (event.kind === kind || event.kind === "all") done();
    });
  });
}

export const isLive = (): boolean => alive;

/** Whether the stream is there, so that nothing has to be asked for. */
export const useLive = (): boolean =>
  useSyncExternalStore((watch) => {
    watchers.add(watch);
    return () => void watchers.delete(watch);
  }, isLive);

function openStream(pass: (message: Message) => void): void {
  const stream = new EventSource("/api/events");
  stream.onmessage = (message: MessageEvent<string>) => pass({ event: JSON.parse(message.data) as ServerEvent });
  stream.onopen = () => pass({ alive: true });
  stream.addEventListener("beat", () => pass({ alive: true }));
  stream.onerror = () => pass({ alive: false });
}

/** Keep the stream open, in one window of the browser. Called once a window. */
export function startEvents(): void {
  if (!("locks" in navigator) || !("EventSource" in window)) return;
  const others = new BroadcastChannel(NAME);
  others.onmessage = (message: MessageEvent<Message>) => hear(message.data);
  // The window that had the stream may be gone, or asleep.
  setInterval(() => {
    if (alive && Date.now() - last > SILENCE) setAlive(false);
  }, SILENCE / 3);
  void navigator.locks.request(NAME, () => {
    openStream((message) => {
      hear(message);
      others.postMessage(message);
    });
    return new Promise(() => undefined);
  });
}

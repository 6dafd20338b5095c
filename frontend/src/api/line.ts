import type { Job } from "./types";

/**
 * Changes of a job, one after the other.
 *
 * A change that is made while one before it is still on its way was made on what that one leads to, so it waits, and is sent as based on
 * that version. Where one is refused, those behind it are refused for the same reason: what they were made on is not there.
 */
export class Line<T extends { version: number }> {
  private last: Promise<T> | null = null;

  /** Send a change when its turn has come; `send` is given the version that it is based on, and what the change before it
   * led to, where it had to wait for one. */
  go(basedOn: number, send: (basedOn: number, before: T | null) => Promise<T>): Promise<T> {
    const mine =
      this.last === null
        ? send(basedOn, null)
        : this.last.then((before) => send(Math.max(before.version, basedOn), before));
    this.last = mine;
    const done = () => {
      if (this.last === mine) this.last = null;
    };
    mine.then(done, done);
    return mine;
  }
}

const lines = new Map<number, Line<Job>>();

/** The line of a job, one for the whole page. */
export function lineOf(job: number): Line<Job> {
  const known = lines.get(job) ?? new Line<Job>();
  lines.set(job, known);
  return known;
}

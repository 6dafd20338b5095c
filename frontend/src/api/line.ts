/**
 * Changes of a job, one after the other.
 *
 * A change that is made while one before it is still on its way was made on what that one leads to, so it waits, and is sent as based on
 * that version. Where one is refused, those behind it are refused for the same reason: what they were made on is not there.
 */
export class Line {
  private last: Promise<number> | null = null;

  /** Send a change when its turn has come; `send` is given the version that it is based on. */
  go<T extends { version: number }>(basedOn: number, send: (basedOn: number) => Promise<T>): Promise<T> {
    const mine = this.last === null ? send(basedOn) : this.last.then((version) => send(Math.max(version, basedOn)));
    const after = mine.then((job) => job.version);
    this.last = after;
    const done = () => {
      if (this.last === after) this.last = null;
    };
    after.then(done, done);
    return mine;
  }
}

const lines = new Map<number, Line>();

/** The line of a job, one for the whole page. */
export function lineOf(job: number): Line {
  const known = lines.get(job) ?? new Line();
  lines.set(job, known);
  return known;
}

/** Numbers as a machinist types them: arithmetic, fractions and units. Lengths are millimetres inside. */

export type Unit = "mm" | "in";

const PER_UNIT: Record<string, number> = { mm: 1, cm: 10, m: 1000, in: 25.4, '"': 25.4 };

class Reader {
  at = 0;
  constructor(
    readonly text: string,
    readonly scale: number,
  ) {}

  private skip() {
    while (this.text[this.at] === " ") this.at++;
  }

  private take(...marks: string[]): string | null {
    this.skip();
    const found = marks.find((mark) => this.text.startsWith(mark, this.at));
    if (found === undefined) return null;
    this.at += found.length;
    return found;
  }

  sum(): number {
    let value = this.product();
    for (let mark = this.take("+", "-"); mark; mark = this.take("+", "-")) {
      const next = this.product();
      value = mark === "+" ? value + next : value - next;
    }
    return value;
  }

  private product(): number {
    let value = this.factor();
    for (let mark = this.take("*", "×", "/"); mark; mark = this.take("*", "×", "/")) {
      const next = this.factor();
      value = mark === "/" ? value / next : value * next;
    }
    return value;
  }

  private factor(): number {
    if (this.take("-")) return -this.factor();
    if (this.take("(")) {
      const value = this.sum();
      if (!this.take(")")) throw new Error("a bracket is not closed");
      return value;
    }
    this.skip();
    const match = /^\d+(?:[.,]\d*)?|^[.,]\d+/.exec(this.text.slice(this.at));
    if (!match) throw new Error("that is no number");
    this.at += match[0].length;
    // A fraction behind a whole number, as on a rule: 1 3/8.
    const rest = /^\s+(\d+)\s*\/\s*(\d+)/.exec(this.text.slice(this.at));
    if (rest && /^\d+$/.test(match[0])) {
      this.at += rest[0].length;
      return Number(match[0]) + Number(rest[1]) / Number(rest[2]);
    }
    return Number(match[0].replace(",", "."));
  }

  unit(): string | null {
    return this.take("mm", "cm", "in", '"', "m");
  }

  done(): boolean {
    this.skip();
    return this.at >= this.text.length;
  }
}

/**
 * Read what was typed. A unit may stand at the end and counts for the whole; without one a length is in the job's unit.
 * Returns millimetres for lengths, the plain number otherwise. Throws an Error with a sentence.
 */
export function parseNumber(text: string, unit: Unit | null): number {
  if (!text.trim()) throw new Error("a number is missing");
  const reader = new Reader(text.trim().toLowerCase(), 1);
  const value = reader.sum();
  const named = unit ? reader.unit() : null;
  if (!reader.done() || !Number.isFinite(value)) throw new Error("that is no number");
  return unit ? value * (PER_UNIT[named ?? unit] ?? 1) : value;
}

const trimmed = (value: number, digits: number) => String(Number(value.toFixed(digits)));

/** Decimals of a length in millimetres and in inches, by what kind of number it is. */
const DECIMALS = {
  /** As it was typed: the same number in its field and everywhere else. */
  typed: { mm: 3, in: 4 },
  /** Measured on the mesh or the block. */
  measured: { mm: 2, in: 3 },
  /** A deviation, which is small. */
  fine: { mm: 3, in: 4 },
  /** A feed a minute. */
  feed: { mm: 1, in: 2 },
  /** A travel or a bed. */
  round: { mm: 0, in: 2 },
};
export type LengthKind = keyof typeof DECIMALS;

/** A length for show, in the job's unit. */
export const lengthText = (mm: number, unit: Unit, kind: LengthKind = "typed"): string =>
  trimmed(unit === "in" ? mm / 25.4 : mm, DECIMALS[kind][unit]);

/** A feed for show, in the job's unit a minute. */
export const feedText = (mmPerMinute: number, unit: Unit) => lengthText(mmPerMinute, unit, "feed");

/** An area for show, with its unit: cm² or square inches. */
export const areaText = (mm2: number, unit: Unit) =>
  unit === "in" ? `${trimmed(mm2 / 645.16, 2)} in²` : `${trimmed(mm2 / 100, 1)} cm²`;

/** Seconds as h:mm:ss or m:ss. */
export function clock(seconds: number): string {
  const whole = Math.max(Math.round(seconds), 0);
  const h = Math.floor(whole / 3600),
    m = Math.floor(whole / 60) % 60,
    s = whole % 60;
  const two = (n: number) => String(n).padStart(2, "0");
  return h ? `${h}:${two(m)}:${two(s)}` : `${m}:${two(s)}`;
}

/** A count that reads at a glance: 411 k, 1.6 M. */
export function countText(value: number): string {
  if (value >= 1e6) return `${(value / 1e6).toFixed(1)} M`;
  return value >= 1e4 ? `${Math.round(value / 1e3)} k` : String(value);
}

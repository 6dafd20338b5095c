/** Times as people say them, and what real runs make of a calculated one. */
import type { JobTime } from "../api/types";
import { clock } from "./numbers";

/** A date in the form used on all pages: 1 Dec 2026. */
export const dayText = (moment: string): string =>
  new Date(moment).toLocaleDateString("en-GB", { dateStyle: "medium" });

/** Seconds of what was typed: 95 (minutes), 1:35 (hours and minutes) or 1:35:20; null where it is none. */
export function readDuration(text: string): number | null {
  const parts = text.trim().split(":").map(Number);
  if (!text.trim() || parts.length > 3 || parts.some((part) => !Number.isFinite(part) || part < 0)) return null;
  const [a, b, c] = parts as [number, number?, number?];
  if (b === undefined) return a > 0 ? a * 60 : null;
  const seconds = a * 3600 + b * 60 + (c ?? 0);
  return seconds > 0 ? seconds : null;
}

export interface Calibrated {
  total: number;
  factor: number;
  low: number;
  high: number;
  entries: number;
}

/** What a job will take at the machine by the runs that were entered, or empty where none was. */
export function realTime(time: Calibrated): string {
  if (!time.entries) return "";
  const span = time.entries > 1 ? `, ${clock(time.total * time.low)} to ${clock(time.total * time.high)}` : "";
  return `≈ ${clock(time.total * time.factor)}${span}`;
}

/** The time with tool changes and spindle starts, beside that of the moves alone; empty where it is the same. */
export function inAllText(time: Pick<JobTime, "changes" | "waits"> & { total: number }, moves: number): string {
  return time.total - moves >= 1 ? ` · ${clock(time.total)} in all` : "";
}

/** What the total of a setup is made of. */
export function totalText(time: Pick<JobTime, "moves" | "changes" | "waits">): string {
  const parts = [`moves ${clock(time.moves)}`];
  if (time.changes > 0) parts.push(`tool changes ${clock(time.changes)}`);
  if (time.waits > 0) parts.push(`spindle starts ${clock(time.waits)}`);
  return `${parts.join(" + ")}. The run strip shows the moves only.`;
}

/**
 * A change of a plan made on one state, carried over to another: what the change touched is as it left it, all else is as
 * the other state has it. So two changes that were made one right after the other both arrive.
 */

type Json = null | boolean | number | string | Json[] | { [key: string]: Json };

const isObject = (value: Json | undefined): value is { [key: string]: Json } =>
  typeof value === "object" && value !== null && !Array.isArray(value);

/** By what an entry of a list is known: its id, or its number; none where entries have neither. */
function keyOf(item: Json): string | null {
  if (!isObject(item)) return null;
  const key = item["id"] ?? item["number"] ?? null;
  return typeof key === "string" || typeof key === "number" ? String(key) : null;
}

function keyed(list: Json[]): Map<string, Json> | null {
  const found = new Map<string, Json>();
  for (const item of list) {
    const key = keyOf(item);
    if (key === null || found.has(key)) return null;
    found.set(key, item);
  }
  return found;
}

export function same(a: Json | undefined, b: Json | undefined): boolean {
  if (a === b) return true;
  if (Array.isArray(a) && Array.isArray(b)) return a.length === b.length && a.every((item, k) => same(item, b[k]));
  if (!isObject(a) || !isObject(b)) return false;
  const keys = new Set([...Object.keys(a), ...Object.keys(b)]);
  return [...keys].every((key) => same(a[key], b[key]));
}

/** Entries in the order that the change gave them, then those that only the other state has. */
function mergedList(from: Json[], to: Json[], onto: Json[]): Json[] {
  const [before, changed, other] = [keyed(from), keyed(to), keyed(onto)];
  if (!before || !changed || !other) return to;
  const kept = [...changed].flatMap(([key, item]) => {
    const theirs = other.get(key);
    // Deleted there, and not touched here.
    if (theirs === undefined && before.has(key) && same(before.get(key), item)) return [];
    return [theirs === undefined ? item : merged(before.get(key), item, theirs)];
  });
  const added = [...other].filter(([key]) => !changed.has(key) && !before.has(key)).map(([, item]) => item);
  return [...kept, ...added];
}

function merged(from: Json | undefined, to: Json, onto: Json): Json {
  if (same(from, to)) return onto;
  if (same(from, onto) || from === undefined) return to;
  if (Array.isArray(from) && Array.isArray(to) && Array.isArray(onto)) return mergedList(from, to, onto);
  if (!isObject(from) || !isObject(to) || !isObject(onto)) return to;
  const found: { [key: string]: Json } = {};
  for (const key of new Set([...Object.keys(to), ...Object.keys(onto)])) {
    const [mine, theirs] = [to[key], onto[key]];
    if (mine === undefined) {
      // Taken out here, or added there.
      if (!(key in from) && theirs !== undefined) found[key] = theirs;
    } else if (theirs === undefined) {
      if (!(key in from) || !same(from[key], mine)) found[key] = mine;
    } else found[key] = merged(from[key], mine, theirs);
  }
  return found;
}

/** The change that led `from` one state `to` another, made on a third. */
export const rebased = <T extends object>(from: T, to: T, onto: T): T =>
  merged(from as Json, to as Json, onto as Json) as T;

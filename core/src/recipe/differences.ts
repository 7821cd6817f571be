import { isObject } from "../values";

/** A setting that differs between two recipes: where it stands, and what either has there. */
export interface Difference {
  path: string[];
  /** null: there is none. */
  from: string | number | boolean | null;
  to: string | number | boolean | null;
}

type Leaf = Difference["from"];
const isLeaf = (value: unknown): value is Leaf =>
  value === null || ["string", "number", "boolean"].includes(typeof value);

type Leaves = Map<string, { path: string[]; leaf: Leaf }>;

/** Everything that stands in a value, by its path; empty lists and objects stand for nothing. */
function leaves(value: unknown, path: string[], into: Leaves): void {
  if (isLeaf(value)) {
    into.set(JSON.stringify(path), { path, leaf: value });
    return;
  }
  // What has a name is told by it, not by its place: classes that move stay the same.
  const named = Array.isArray(value) && value.every((one) => isObject(one) && "name" in one);
  const entries = isObject(value) || Array.isArray(value) ? Object.entries(value) : [];
  for (const [key, own] of entries) {
    const at = named && isObject(own) ? String(own.name) : key;
    leaves(own, [...path, at], into);
  }
}

/** What differs between two values of one shape, in the order of the first; what is alike is left out. */
export function differencesOf(first: unknown, second: unknown): Difference[] {
  const before: Leaves = new Map();
  const after: Leaves = new Map();
  leaves(first, [], before);
  leaves(second, [], after);
  const keys = [...new Set([...before.keys(), ...after.keys()])];
  return keys.flatMap((key): Difference[] => {
    const from = before.get(key)?.leaf ?? null;
    const to = after.get(key)?.leaf ?? null;
    const path = before.get(key)?.path ?? after.get(key)!.path;
    return from === to ? [] : [{ path, from, to }];
  });
}

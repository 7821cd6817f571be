import type { MultiPolygon } from "@hindglance/core/vector/polygons";

/** What a column of a table of features holds; a number has so many decimals at the most. */
export type Field = { name: string } & (
  | { type: "text"; longest: number }
  | { type: "integer" }
  | { type: "number"; decimals: number }
  | { type: "boolean" }
);

/** What stands in a column; null where nothing is known. */
export type Value = string | number | boolean | null;

/** An area with its columns, in longitude and latitude. */
export interface AreaFeature {
  /** One value a field, in their order. */
  values: readonly Value[];
  /** Shells run against the clock, holes with it (RFC 7946). */
  polygons: MultiPolygon;
}

/** Features as they come, some at a time. */
export type Features = AsyncIterable<readonly AreaFeature[]>;

/** Length of a text as it is written, UTF-8 bytes. */
export const bytesIn = (text: string): number => new TextEncoder().encode(text).length;

/**
 * Names of at most so many ASCII letters, digits and underscores, each once, for formats that take no
 * others: accents go, other letters become underscores, and names that are alike get a number.
 */
export function shortNames(names: readonly string[], most: number): string[] {
  const taken = new Set<string>();
  return names.map((name) => {
    const plain =
      name
        .normalize("NFKD")
        .replace(/\p{M}/gu, "")
        .replace(/[^A-Za-z0-9_]/g, "_")
        .replace(/^(?=\d)/, "_") || "_";
    for (let k = 1; ; k++) {
      const end = k === 1 ? "" : `_${k}`;
      const short = plain.slice(0, most - end.length) + end;
      // Some programs take letters of either case for the same.
      if (!taken.has(short.toLowerCase())) {
        taken.add(short.toLowerCase());
        return short;
      }
    }
  });
}

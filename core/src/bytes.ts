/** Bytes of a property's name or of a number that stands in no array. */
const SMALL = 8;

/**
 * Bytes that a value takes, nearly: those of its typed arrays, two for each letter of its texts, and
 * eight for each number and reference. What is met twice counts once.
 */
export function bytesOf(value: unknown, seen = new Set<object>()): number {
  if (typeof value === "string") {
    return 2 * value.length;
  }
  if (typeof value !== "object" || value === null) {
    return SMALL;
  }
  if (seen.has(value)) {
    return SMALL;
  }
  seen.add(value);
  if (ArrayBuffer.isView(value)) {
    return value.byteLength;
  }
  const parts: unknown[] =
    value instanceof Map || value instanceof Set ? [...value].flat() : Object.values(value);
  return parts.reduce((sum: number, part) => sum + SMALL + bytesOf(part, seen), SMALL);
}

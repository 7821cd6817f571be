/** A name as it is compared with others: without case and outer or double spaces. */
export const plainName = (name: string): string => name.trim().toLowerCase().replace(/\s+/g, " ");

/** A class name that a second class has too, or null: the tally could not tell them apart. */
export function twinName(classes: readonly { name: string }[]): string | null {
  const seen = new Set<string>();
  for (const { name } of classes) {
    if (seen.has(plainName(name))) {
      return name;
    }
    seen.add(plainName(name));
  }
  return null;
}

/** What is said of classes that share a name. */
export const twinMessage = ({ value }: { value: { name: string }[] }): string =>
  `Two classes are called "${twinName(value) ?? ""}": every class needs a name of its own`;

import { distance } from "fastest-levenshtein";
import type { ClassInfo } from "../graph/image";
import { MOST_COVER, type CoverClass } from "./coverClass";

/** A class of either date with what it was found like. */
export interface ProposedPair {
  before: number | null;
  after: number | null;
  /** How alike their names are, 0 to 1; 1 where they are the same, or differ as spellings do. */
  likeness: number;
}

/** Least likeness of two names that are taken to mean the same. */
export const LEAST_LIKENESS = 0.7;

/** Words of a name, small, in the singular. */
const wordsOf = (name: string): string[] =>
  name
    .toLowerCase()
    .normalize("NFKD")
    .replace(/[^\p{Letter}\p{Number}]+/gu, " ")
    .trim()
    .split(" ")
    .map((word) => singular(word));

/** A word without the endings of plurals, as far as its spelling tells. */
function singular(word: string): string {
  if (word.length > 4 && word.endsWith("ies")) {
    return `${word.slice(0, -3)}y`;
  }
  if (word.length > 4 && /(ss|sh|ch|x)es$/.test(word)) {
    return word.slice(0, -2);
  }
  return word.length > 3 && word.endsWith("s") && !word.endsWith("ss") ? word.slice(0, -1) : word;
}

const byLetters = (first: string, second: string): number =>
  1 - distance(first, second) / Math.max(first.length, second.length, 1);

/** Share that the words of the shorter name are of the longer one's, where all of them are in it. */
function byWords(first: readonly string[], second: readonly string[]): number {
  const [few, many] = first.length <= second.length ? [first, second] : [second, first];
  return few.every((word) => many.includes(word)) ? 0.7 + 0.2 * (few.length / many.length) : 0;
}

/**
 * How alike two names of classes are: 1 where they are the same but for case, plural, spaces and
 * hyphens; else by the letters that have to be changed, or by the words that one has of the other.
 */
export function likeness(first: string, second: string): number {
  const [a, b] = [wordsOf(first), wordsOf(second)];
  const [together, apart] = [a.join(""), b.join("")];
  if (together === apart) {
    return 1;
  }
  return Math.max(byLetters(together, apart), byWords(a, b));
}

/**
 * Which classes of two legends mean the same, by their names: the most alike first, each once. What
 * finds none stands alone, so that nothing is left out without a word.
 */
export function pairLegends(
  before: readonly ClassInfo[],
  after: readonly ClassInfo[],
): ProposedPair[] {
  const all = before.flatMap((one) =>
    after.map((other) => ({
      ...{ before: one.label, after: other.label },
      likeness: likeness(one.name, other.name),
    })),
  );
  const pairs: ProposedPair[] = [];
  const taken = { before: new Set<number>(), after: new Set<number>() };
  for (const pair of all.sort((a, b) => b.likeness - a.likeness)) {
    const isFree = !taken.before.has(pair.before) && !taken.after.has(pair.after);
    if (isFree && pair.likeness >= LEAST_LIKENESS) {
      pairs.push(pair);
      taken.before.add(pair.before);
      taken.after.add(pair.after);
    }
  }
  const place = ({ before: label }: ProposedPair) =>
    label === null ? before.length : before.findIndex((one) => one.label === label);
  const alone = [
    ...before
      .filter(({ label }) => !taken.before.has(label))
      .map(({ label }) => ({ before: label, after: null, likeness: 0 })),
    ...after
      .filter(({ label }) => !taken.after.has(label))
      .map(({ label }) => ({ before: null, after: label, likeness: 0 })),
  ];
  return [...pairs, ...alone].sort((a, b) => place(a) - place(b));
}

/** Classes in common from such pairs, with the names and colours of the before date where it has one. */
export const coverClasses = (
  pairs: readonly ProposedPair[],
  before: readonly ClassInfo[],
  after: readonly ClassInfo[],
): CoverClass[] =>
  pairs.map((pair) => {
    const one =
      before.find(({ label }) => label === pair.before) ??
      after.find(({ label }) => label === pair.after)!;
    return {
      name: one.name,
      color: one.color,
      before: pair.before === null ? [] : [pair.before],
      after: pair.after === null ? [] : [pair.after],
    };
  });

/** Classes in common as they are proposed from two legends, as many as a map has room for. */
export const proposedClasses = (
  before: readonly ClassInfo[],
  after: readonly ClassInfo[],
): CoverClass[] => coverClasses(pairLegends(before, after), before, after).slice(0, MOST_COVER);

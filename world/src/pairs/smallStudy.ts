import { type ThingScore, scoreThings } from "../smallScore";
import type { MadePair } from "./catalogue";
import { CELLS_WIDE, GROUND_SIDE } from "./landscape";
import { smallThingsOn } from "./smallThings";
import { PairStudy } from "./study";

/** How the small things of a pair were found. */
export interface SmallScore extends ThingScore {
  name: string;
  /** Nothing but the things changed. */
  isQuiet: boolean;
  /** Square kilometres that were judged. */
  seenKm2: number;
}

const BUSY = { flooded: true, worked: 0.35 } as const;

/** Pairs with small things: quiet ones, and ones with a flood and worked fields beside them. */
export const SMALL_PAIRS: readonly (MadePair & { seed: number; isQuiet: boolean })[] = [
  { name: "nothing else", ground: { floodM: 0 }, before: {}, after: {}, seed: 41, isQuiet: true },
  {
    name: "nothing else, other ground",
    ground: { floodM: 0, seed: 9 },
    before: {},
    after: {},
    seed: 42,
    isQuiet: true,
  },
  {
    name: "a flood and worked fields",
    ground: {},
    before: {},
    after: BUSY,
    seed: 43,
    isQuiet: false,
  },
  {
    name: "a flood and worked fields, other ground",
    ground: { seed: 9 },
    before: {},
    after: BUSY,
    seed: 51,
    isQuiet: false,
  },
  {
    name: "a flood and worked fields, third ground",
    ground: { seed: 17 },
    before: { seed: 5 },
    after: { ...BUSY, seed: 6 },
    seed: 52,
    isQuiet: false,
  },
  {
    name: "a flood",
    ground: { seed: 23 },
    before: { seed: 7 },
    after: { flooded: true, seed: 8 },
    seed: 53,
    isQuiet: false,
  },
  {
    name: "worked fields",
    ground: { seed: 33, floodM: 0 },
    before: { seed: 71 },
    after: { worked: 0.35, seed: 81 },
    seed: 55,
    isQuiet: false,
  },
];

/** Looks for the things of a pair. @param km2 square kilometres with one false alarm */
export async function smallScore(
  pair: (typeof SMALL_PAIRS)[number],
  km2: number,
): Promise<SmallScore> {
  const { seed } = pair;
  const study = await PairStudy.of({
    ...pair,
    before: { ...pair.before, things: { seed, date: "before" } },
    after: { ...pair.after, things: { seed, date: "after" } },
  });
  const strength = await study.smallChanges(km2);
  return {
    name: pair.name,
    isQuiet: pair.isQuiet,
    ...scoreThings(strength, GROUND_SIDE / CELLS_WIDE, smallThingsOn(study.ground, seed)),
    seenKm2: strength.filter((value) => value === value).length * study.cellKm2,
  };
}

import type { MadePair } from "./catalogue";
import { CELLS_WIDE, GROUND_SIDE } from "./landscape";
import { type SmallThing, isStrong, smallThingsOn } from "./smallThings";
import { PairStudy } from "./study";
import { classesOf, patchesIn } from "./unchanged";

/** How the small things of a pair were found. */
export interface SmallScore {
  name: string;
  things: number;
  /** Over four cells and at least 6 dB. */
  strong: number;
  strongFound: number;
  found: number;
  /** Found with the other sign. */
  wrongSign: number;
  /** Patches that lie at no thing, and the square kilometres that were judged. */
  elsewhere: number;
  seenKm2: number;
  /** Median of the cells found over the cells that are there. */
  sizeRatio: number;
}

const SIDE = GROUND_SIDE / CELLS_WIDE;
/** Image cells around a thing in which a patch is taken for it. */
const AROUND = 1;
/** Image cells around a thing in which no patch counts as lying elsewhere. */
const BESIDE = 3;

/** Pairs with small things: quiet ones, and one with a flood and worked fields beside them. */
export const SMALL_PAIRS: readonly (MadePair & { seed: number })[] = [
  { name: "nothing else", ground: { floodM: 0 }, before: {}, after: {}, seed: 41 },
  { name: "other ground", ground: { floodM: 0, seed: 9 }, before: {}, after: {}, seed: 42 },
  {
    name: "a flood beside them, fields worked",
    ground: {},
    before: {},
    after: { flooded: true, worked: 0.35 },
    seed: 43,
  },
];

/** Image cells that lie at a thing. */
function imageCells({ col, row, width, height }: SmallThing, around: number): number[] {
  const from = [row, col].map((cell) => Math.floor(cell / CELLS_WIDE) - around);
  const to = [row + height, col + width].map((cell) => Math.ceil(cell / CELLS_WIDE) + around);
  const cells: number[] = [];
  for (let r = from[0]!; r < to[0]!; r++) {
    for (let c = from[1]!; c < to[1]!; c++) {
      cells.push(r * SIDE + c);
    }
  }
  return cells;
}

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
  const classes = classesOf(strength);
  const things = smallThingsOn(study.ground, seed);
  const signOf = ({ on }: SmallThing) => (on === "after" ? 1 : 2);
  const cellsOfSign = (thing: SmallThing, sign: number) =>
    imageCells(thing, AROUND).filter((i) => classes[i] === sign).length;
  const isFound = (thing: SmallThing) => cellsOfSign(thing, signOf(thing)) > 0;
  const apart = classes.slice();
  things.flatMap((thing) => imageCells(thing, BESIDE)).forEach((i) => apart.fill(0, i, i + 1));
  const ratios = things
    .filter(isFound)
    .map((thing) => cellsOfSign(thing, signOf(thing)) / thing.cells)
    .sort((a, b) => a - b);
  return {
    name: pair.name,
    things: things.length,
    strong: things.filter(isStrong).length,
    strongFound: things.filter((thing) => isStrong(thing) && isFound(thing)).length,
    found: things.filter(isFound).length,
    wrongSign: things.filter((thing) => cellsOfSign(thing, 3 - signOf(thing)) > 0).length,
    elsewhere: patchesIn(apart, SIDE),
    seenKm2: strength.filter((value) => value === value).length * study.cellKm2,
    sizeRatio: ratios[Math.floor(ratios.length / 2)] ?? NaN,
  };
}

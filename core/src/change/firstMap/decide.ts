import type { Body } from "./bodies";
import type { WaterLevels } from "./levels";
import type { Signs } from "./signs";

/** What of a pair is known to be water, and what it looks like. */
export interface Decided {
  newWater: Body[];
  receded: Body[];
  standing: Body[];
  /** Dark on both dates, and told from water by nothing, or not by enough. */
  unsure: Body[];
  /** Became dark, but not as dark as water. */
  refused: Body[];
  /** Level of open water on each date, decibels; null where none was found. */
  waterBefore: number | null;
  waterAfter: number | null;
}

/** Slope and tilt in degrees up to which ground can be water. */
const LEVEL_SLOPE = 0.8;
const LEVEL_TILT = 0.3;
/** Metres that its banks rise over water at least, in the mean. */
const LEAST_BANK_M = 0.05;
/** Decibels over the level of known water that are water. */
const NEAR_LEVEL = 2.5;
/** Decibels under `sure` that water must have where nothing else tells it. */
const ALONE = 1;
/** Decibels under `dark` that it must have whatever is known. */
const LEAST_DARK = 1;
/** Of so many bodies, the largest, the darkest gives the level of water. */
const LARGEST = 10;

/** Whether ground lies as water does, level and not above its banks; null without elevation. */
function liesAsWater({ slope, plane, rimRiseM }: Body): boolean | null {
  if (!slope || !plane || !Number.isFinite(slope.mean)) {
    return null;
  }
  const isBelowBanks = rimRiseM === null || rimRiseM >= LEAST_BANK_M;
  return slope.mean <= LEVEL_SLOPE && plane.tiltDeg <= LEVEL_TILT && isBelowBanks;
}

const brightest = ({ before, after }: Body): number => Math.max(before.mean, after.mean);

/** Whether a body that is dark on both dates is told to be water. */
function isStanding(body: Body, levels: WaterLevels): boolean {
  const level = liesAsWater(body);
  return level === null
    ? brightest(body) < levels.sure - ALONE
    : level && brightest(body) < levels.sure;
}

/** Bodies about as dark as the darkest large one: smooth ground beside water is brighter. */
function darkestOf(bodies: readonly Body[]): Body[] {
  const large = [...bodies].sort((a, b) => b.cells - a.cells).slice(0, LARGEST);
  const darkest = Math.min(...large.map(brightest));
  return bodies.filter((body) => brightest(body) < darkest + NEAR_LEVEL);
}

/** Mean over bodies weighted by their cells; null where there are none. */
export function meanOver(bodies: readonly Body[], of: (body: Body) => number): number | null {
  const cells = cellsIn(bodies);
  return cells ? bodies.reduce((sum, body) => sum + body.cells * of(body), 0) / cells : null;
}

/** Cells of bodies together. */
export const cellsIn = (bodies: readonly Body[]): number =>
  bodies.reduce((sum, body) => sum + body.cells, 0);

/** Spread before, decibels, under which a large body was as even as water is. */
const EVEN_DB = 0.85;
/** Of the spread of land: where all land is even, a body that is as even tells nothing. */
const EVEN_SHARE = 0.7;
const LARGE_CELLS = 500;

/**
 * Large bodies of new water that were as even before as water is, and more so than land: lakes in
 * wind look like that.
 */
export function evenBefore(
  { newWater }: Pick<Decided, "newWater">,
  { landSpread }: Pick<Signs, "landSpread">,
): Body[] {
  const most = Math.min(EVEN_DB, EVEN_SHARE * landSpread);
  return newWater.filter(({ cells, before }) => cells >= LARGE_CELLS && before.deviation < most);
}

/** Decides which bodies of a pair are water. */
export function decide(signs: Signs, levels: WaterLevels): Decided {
  const standing = darkestOf(signs.darkOnBoth.filter((body) => isStanding(body, levels)));
  const before = (body: Body) => body.before.mean;
  const after = (body: Body) => body.after.mean;
  const knownBefore = meanOver([...standing, ...signs.roughAfter], before);
  const knownAfter = meanOver([...standing, ...signs.roughBefore], after);
  const isWater = (dark: number, known: number | null) =>
    dark <
    (known === null ? levels.sure - ALONE : Math.min(levels.dark - LEAST_DARK, known + NEAR_LEVEL));
  const newWater = signs.darker.filter((body) => isWater(after(body), knownAfter));
  const receded = signs.brighter.filter((body) => isWater(before(body), knownBefore));
  return {
    newWater,
    receded,
    standing,
    unsure: signs.darkOnBoth.filter((body) => !standing.includes(body)),
    refused: signs.darker.filter((body) => !newWater.includes(body)),
    waterAfter: knownAfter ?? meanOver(newWater, after),
    waterBefore: knownBefore ?? meanOver(receded, before),
  };
}

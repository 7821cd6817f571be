import { InputError } from "../errors";
import { nodeHash } from "../graph/node";
import { versionOf } from "../graph/registry";
import { measureOf } from "./measures/all";
import { type ChangeSetup, type ChangeSide, type SeriesSides, sameBand } from "./setup";

const DAY_MS = 86_400_000;
const YEAR_DAYS = 365.25;
/** Dates of a series on either side of before, at the most: those nearest to it. */
const MOST_DATES = 60;

/** A date that may be part of a series. */
export interface SeriesCandidate {
  id: string;
  acquiredAt: string | null;
  kind: string;
  /** Pass of a satellite; absent where it is not known. */
  pass?: string | undefined;
  /** Whether it is stored, or what its chain makes of it is kept. */
  isKept: boolean;
  /** null where it is not prepared. */
  side: ChangeSide | null;
}

/** Dates of a series by their part in it. */
export interface Series {
  sides: SeriesSides;
  /** Ids of scenes, in their order. */
  normal: string[];
  watched: string[];
  /** Those that are not prepared, or lack the band. */
  left: string[];
}

interface Dated {
  id: string;
  at: number;
  side: ChangeSide;
}

/** Days between two times of the year, whatever the year: half of it at the most. */
export function apartInYear(first: number, second: number): number {
  const over = (Math.abs(first - second) / DAY_MS) % YEAR_DAYS;
  return Math.min(over, YEAR_DAYS - over);
}

const hasBand = (before: ChangeSide, setup: ChangeSetup, { info }: ChangeSide): boolean => {
  try {
    sameBand(before.info.bands[setup.band]!, info);
    return true;
  } catch (error) {
    if (error instanceof InputError) {
      return false;
    }
    throw error;
  }
};

/** Dates that share an image, as frames of one mosaic do, count once. */
function onceEach(dates: readonly Dated[]): Dated[] {
  const found = new Map<string, Dated>();
  for (const date of dates) {
    const hash = nodeHash(date.side.node, versionOf);
    if (!found.has(hash)) {
      found.set(hash, date);
    }
  }
  return [...found.values()].sort((a, b) => a.at - b.at);
}

/**
 * Dates that tell what is normal up to before, at the time of year of after where that is asked for, and those
 * that are watched after it. Dates of another kind or another pass are no part of the series. null where the
 * measure looks at the pair alone, or a date of the pair has no time.
 */
export function seriesFrom(
  candidates: readonly SeriesCandidate[],
  { beforeId, afterId }: { beforeId: string; afterId: string },
  setup: ChangeSetup,
): Series | null {
  const byId = (id: string) => candidates.find((one) => one.id === id);
  const [before, after] = [byId(beforeId), byId(afterId)];
  if (!measureOf(setup.measure).ofSeries || !before?.acquiredAt || !after?.acquiredAt) {
    return null;
  }
  const own = before.side;
  const [from, event] = [Date.parse(before.acquiredAt), Date.parse(after.acquiredAt)];
  const alike = candidates.filter(
    ({ acquiredAt, kind, pass }) =>
      acquiredAt !== null &&
      kind === before.kind &&
      (pass === before.pass || !pass || !before.pass),
  );
  const found: Dated[] = [];
  const left: string[] = [];
  for (const { id, acquiredAt, isKept, side } of alike) {
    if (own && side && (isKept || id === beforeId || id === afterId) && hasBand(own, setup, side)) {
      found.push({ id, at: Date.parse(acquiredAt!), side });
    } else {
      left.push(id);
    }
  }
  const { seasonDays } = setup;
  const dates = onceEach(found);
  const normal = dates
    .filter(({ at }) => at <= from && (!seasonDays || apartInYear(at, event) <= seasonDays))
    .slice(-MOST_DATES);
  const watched = dates.filter(({ at }) => at > from).slice(0, MOST_DATES);
  return {
    sides: {
      normal: normal.map(({ side }) => side),
      watched: watched.map(({ side, at }) => ({
        side,
        day: Math.round(((at - from) / DAY_MS) * 100) / 100,
      })),
    },
    normal: normal.map(({ id }) => id),
    watched: watched.map(({ id }) => id),
    left,
  };
}

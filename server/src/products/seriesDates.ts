import { InputError } from "@hindglance/core/errors";
import type { ChangeSetup, SeriesSides } from "@hindglance/core/change/setup";
import { measureOf } from "@hindglance/core/change/measures/all";
import { sameBand } from "@hindglance/core/change/setup";
import { nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import type { Database } from "../db/pool";
import type { StoredSources } from "../eval/sources";
import type { Side } from "./comparison";
import type { ReadyScene } from "./families";
import { isAtHand } from "./otherDates";
import { type StudySides, isDate, sideNode } from "./sides";

const DAY_MS = 86_400_000;
const YEAR_DAYS = 365.25;
/** Dates of a series on either side of before, at the most: those nearest to it. */
const MOST_DATES = 60;

/** A date of a series with what it is compared as. */
interface SeriesDate {
  scene: ReadyScene;
  at: number;
  side: Awaited<ReturnType<typeof sideNode>>;
}

/** The dates of a series by their part in it, and what is to be said of them. */
export interface Series {
  sides: SeriesSides;
  normal: ReadyScene[];
  watched: ReadyScene[];
  warnings: string[];
}

/** Days between two times of the year, whatever the year: half of it at the most. */
function apartInYear(first: number, second: number): number {
  const days = Math.abs(first - second) / DAY_MS;
  const over = days % YEAR_DAYS;
  return Math.min(over, YEAR_DAYS - over);
}

/** Whether two scenes are looked at alike: of one kind, from one pass where that is known. */
function isAlike(scene: ReadyScene, before: Side): boolean {
  const [own, other] = [scene.detail.pass, before.detail.pass];
  return scene.kind === before.kind && (own === other || !own || !other);
}

/** A date as it is compared; null where it lacks the band or is not prepared. */
async function dateOf(
  { db, sources }: { db: Database; sources: StoredSources },
  all: StudySides,
  { before, setup }: { before: Side; setup: ChangeSetup },
  scene: ReadyScene,
): Promise<SeriesDate | null> {
  try {
    const isOfPair = scene.id === before.id;
    if (!isOfPair && !(await isAtHand(db, all, scene))) {
      return null;
    }
    const side = await sideNode(sources, all, scene);
    sameBand(before.info.bands[setup.band]!, side.info);
    return { scene, at: Date.parse(scene.acquiredAt!), side };
  } catch (error) {
    if (error instanceof InputError) {
      return null;
    }
    throw error;
  }
}

/** Dates that share an image, as frames of one mosaic do, count once. */
function onceEach(dates: readonly SeriesDate[]): SeriesDate[] {
  const found = new Map<string, SeriesDate>();
  for (const date of dates) {
    const hash = nodeHash(date.side.node, versionOf);
    if (!found.has(hash)) {
      found.set(hash, date);
    }
  }
  return [...found.values()].sort((a, b) => a.at - b.at);
}

/**
 * Dates of a study that tell what is normal up to before, at the time of year of after where that is asked for,
 * and those that are watched after it; null where the measure does not ask for them. Dates of another
 * pass, or without the band, are no part of the series.
 */
export async function seriesOf(
  services: { db: Database; sources: StoredSources },
  all: StudySides,
  pair: { before: Side; after: Side; setup: ChangeSetup },
): Promise<Series | null> {
  const { before, after, setup } = pair;
  if (!measureOf(setup.measure).ofSeries || !before.acquiredAt || !after.acquiredAt) {
    return null;
  }
  const [from, event] = [Date.parse(before.acquiredAt), Date.parse(after.acquiredAt)];
  const alike = all.scenes
    .filter(isDate)
    .filter((scene) => scene.acquiredAt !== null && isAlike(scene, before));
  const found: SeriesDate[] = [];
  const left: string[] = [];
  for (const scene of alike) {
    const date = await dateOf(services, all, pair, scene);
    if (date) {
      found.push(date);
    } else {
      left.push(scene.name);
    }
  }
  const { seasonDays } = setup;
  const isInSeason = ({ at }: SeriesDate) => !seasonDays || apartInYear(at, event) <= seasonDays;
  const dates = onceEach(found);
  const normal = dates
    .filter(({ at }) => at <= from)
    .filter(isInSeason)
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
    normal: normal.map(({ scene }) => scene),
    watched: watched.map(({ scene }) => scene),
    warnings: [
      `Normal is told by ${normal.length} dates: ${normal.map(({ scene }) => scene.name).join(", ")}.`,
      ...(left.length > 0
        ? [`Left out, since they are not prepared or lack the band: ${left.join(", ")}.`]
        : []),
    ],
  };
}

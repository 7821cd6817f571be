import { InputError } from "@hindglance/core/errors";
import { measureOf } from "@hindglance/core/change/measures/all";
import { type SeriesCandidate, seriesFrom } from "@hindglance/core/change/series";
import type { ChangeSetup, SeriesSides } from "@hindglance/core/change/setup";
import type { Database } from "../db/pool";
import type { StoredSources } from "../eval/sources";
import type { ReadyScene } from "./families";
import { isAtHand } from "./otherDates";
import { type StudySides, isDate, sideNode } from "./sides";

/** The dates of a series by their part in it, and what is to be said of them. */
export interface Series {
  sides: SeriesSides;
  normal: ReadyScene[];
  watched: ReadyScene[];
  warnings: string[];
}

type Services = { db: Database; sources: StoredSources };

/** A date as it may be part of a series. */
async function candidateOf(
  { db, sources }: Services,
  all: StudySides,
  scene: ReadyScene,
): Promise<SeriesCandidate> {
  const { id, kind, acquiredAt, detail } = scene;
  const about = {
    ...{ id, kind, pass: detail.pass },
    acquiredAt: acquiredAt && new Date(acquiredAt).toISOString(),
  };
  try {
    const side = await sideNode(sources, all, scene);
    return { ...about, isKept: await isAtHand(db, all, scene), side };
  } catch (error) {
    if (error instanceof InputError) {
      return { ...about, isKept: false, side: null };
    }
    throw error;
  }
}

/**
 * Dates of a study that tell what is normal of a pair, and those that are watched after it; null where the
 * measure does not ask for them.
 */
export async function seriesOf(
  services: Services,
  all: StudySides,
  pair: { beforeId: string; afterId: string; setup: ChangeSetup },
): Promise<Series | null> {
  if (!measureOf(pair.setup.measure).ofSeries) {
    return null;
  }
  const scenes = all.scenes.filter(isDate);
  const candidates: SeriesCandidate[] = [];
  for (const scene of scenes) {
    candidates.push(await candidateOf(services, all, scene));
  }
  const series = seriesFrom(candidates, pair, pair.setup);
  if (!series) {
    return null;
  }
  const named = (ids: readonly string[]) =>
    ids.map((id) => scenes.find((scene) => scene.id === id)!);
  const left = named(series.left).map(({ name }) => name);
  return {
    sides: series.sides,
    normal: named(series.normal),
    watched: named(series.watched),
    warnings:
      left.length > 0
        ? [
            `Not part of the series, since they are not prepared or lack the band: ${left.join(", ")}.`,
          ]
        : [],
  };
}

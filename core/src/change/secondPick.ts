import type { ImageInfo } from "../graph/image";
import { type Confirms, type SecondLook, type SecondSensor, bandsIn, indicesIn } from "./second";
import { comparingOf } from "./comparing";

/** A date of a study that may stand for the second sensor. */
export interface SecondCandidate {
  id: string;
  kind: string;
  /** Null where nobody knows. */
  acquiredAt: string | null;
  info: ImageInfo | null;
}

/** The pair that a second sensor is looked for. */
export interface SecondPair {
  kind: string;
  beforeAt: string | null;
  afterAt: string | null;
}

/** Days from a date of the pair within which a scene of another sensor is proposed. */
export const PROPOSED_DAYS = 15;
const DAY_MS = 864e5;

const timeOf = (at: string | null): number => (at ? Date.parse(at) : NaN);

/** The candidate that lies nearest to a time; null where none is within so many days. */
function nearest<Candidate extends SecondCandidate>(
  candidates: readonly Candidate[],
  at: number,
  days: number,
): Candidate | null {
  const far = (one: Candidate) => Math.abs(timeOf(one.acquiredAt) - at);
  const near = candidates.filter((one) => far(one) <= days * DAY_MS);
  return near.sort((one, other) => far(one) - far(other))[0] ?? null;
}

/** Whether a date has what is looked at. */
export const showsLook = (look: SecondLook, info: ImageInfo): boolean =>
  look.index == null
    ? bandsIn(info).some(({ name }) => name === look.band)
    : indicesIn(info).some(({ id }) => id === look.index);

/** Dates of other sensors than that of the pair. */
export const secondCandidates = <Candidate extends SecondCandidate>(
  all: readonly Candidate[],
  pair: SecondPair,
): Candidate[] =>
  all.filter(({ kind, info, acquiredAt }) => {
    const isUsable = info !== null && acquiredAt !== null && bandsIn(info).length > 0;
    return kind !== pair.kind && isUsable;
  });

/**
 * Scenes of another sensor near the dates of a pair: nearest to after and later than before, nearest to
 * before and earlier than the other one. Null where none saw what is looked at near after.
 * @param look what they must show; null: anything
 */
export function nearScenes(
  all: readonly SecondCandidate[],
  pair: SecondPair,
  look: SecondLook | null,
  days = PROPOSED_DAYS,
): { beforeId: string | null; afterId: string } | null {
  const usable = secondCandidates(all, pair).filter(
    ({ info }) => look === null || showsLook(look, info!),
  );
  const [beforeAt, afterAt] = [timeOf(pair.beforeAt), timeOf(pair.afterAt)];
  const later = usable.filter(({ acquiredAt }) => !(timeOf(acquiredAt) <= beforeAt));
  const after = nearest(later, afterAt, days);
  if (!after) {
    return null;
  }
  const earlier = usable.filter(({ kind, acquiredAt }) => {
    const at = timeOf(acquiredAt);
    return kind === after.kind && at < timeOf(after.acquiredAt) && at < afterAt;
  });
  return { beforeId: nearest(earlier, beforeAt, days)?.id ?? null, afterId: after.id };
}

/** Index that tells a hazard, where a date has its bands. */
const TELLING: Readonly<Record<string, readonly string[]>> = {
  flood: ["mndwi", "ndwi"],
  fire: ["nbr"],
};
const TELLING_OTHERS = ["ndvi", "evi"];

/** What is looked at first in a date: the index that tells the hazard, else its first band. */
export function firstLook(hazard: string, info: ImageInfo): SecondLook | null {
  const there = indicesIn(info).map(({ id }) => id);
  const index = [...(TELLING[hazard] ?? []), ...TELLING_OTHERS].find((id) => there.includes(id));
  if (index) {
    return { index };
  }
  const band = bandsIn(info)[0];
  return band ? { band: band.name } : null;
}

/** Backscatter under which open water lies, and by which a burn changes it, dB. */
const WATER_DB = -15;
const BURN_DB = -1.5;
/** Loss of a burn ratio, or of greenness, that counts. */
const LOSS = -0.1;

/** The condition that confirms a class by what is looked at, to begin with. */
export function firstCondition(
  hazard: string,
  look: SecondLook,
  { info, hasBefore }: { info: ImageInfo; hasBefore: boolean },
): Omit<Confirms, "labels"> {
  const band = look.index == null ? info.bands.find(({ name }) => name === look.band) : undefined;
  const isPower = band !== undefined && comparingOf(band) === "power";
  if (hazard === "flood") {
    return isPower
      ? { layer: "secondAfter", op: "<", value: WATER_DB }
      : { layer: "secondAfter", op: ">", value: 0 };
  }
  if (!hasBefore) {
    return { layer: "secondAfter", op: "<", value: isPower ? WATER_DB : 0 };
  }
  return { layer: "secondChange", op: "<", value: isPower ? BURN_DB : LOSS };
}

/** Settings of a second sensor to begin with; null where no scene of another sensor lies near. */
export function proposeSecond(
  all: readonly SecondCandidate[],
  pair: SecondPair,
  { hazard, labels }: { hazard: string; labels: readonly number[] },
): SecondSensor | null {
  const scenes = nearScenes(all, pair, null);
  const info = all.find(({ id }) => id === scenes?.afterId)?.info;
  const look = info ? firstLook(hazard, info) : null;
  if (!scenes || !info || !look || labels.length === 0) {
    return null;
  }
  const condition = firstCondition(hazard, look, { info, hasBefore: scenes.beforeId !== null });
  return { ...scenes, look, confirms: { labels: [...labels], ...condition } };
}

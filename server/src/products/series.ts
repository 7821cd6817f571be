import { createHash } from "node:crypto";
import type { SeriesAsk } from "@hindglance/contract/compare";
import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";
import { dateNodes } from "@hindglance/core/change/build";
import { comparingOf } from "@hindglance/core/change/comparing";
import { sameBand } from "@hindglance/core/change/setup";
import { InputError } from "@hindglance/core/errors";
import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, canonicalJson, node, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { type Grid, squareNorthUp } from "@hindglance/core/grid/grid";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { AppError } from "../errors";
import type { StoredSources } from "../eval/sources";
import type { ReadyScene } from "./families";
import { type StudySides, isDate, sideNode } from "./sides";
import type { ZonePolygons } from "./zonePolygons";

/** Dates that are measured in one go, at the most. */
const MOST_DATES = 400;

/** A date of a series: its band, on the grid of all. */
export interface SeriesDate {
  scene: ReadyScene;
  node: NodeSpec;
}

/** What the dates of a series have in common: the first one's grid and band. */
interface Common {
  grid: Grid;
  band: BandInfo;
  isPower: boolean;
}

/** Dates that can be counted, those that cannot with the reason, and what they have in common. */
export interface SeriesDates {
  dates: SeriesDate[];
  left: { sceneId: string; name: string; reason: string }[];
  grid: Grid;
  unit: string;
  /** Whether means are taken of power and told in decibels. */
  decibel: boolean;
}

/** @throws InputError where the date lacks the band, or it cannot be compared */
function commonOf(info: ImageInfo, wanted: string): Common {
  const band = info.bands.find((one) => (one.polarisation ?? one.name) === wanted);
  const how = band && comparingOf(band);
  if (!band || !how) {
    throw new InputError(`has no band ${wanted}`);
  }
  return { grid: squareNorthUp(info.grid), band, isPower: how === "power" };
}

/** A node cut to the study area. @throws AppError where the study has none */
function insideArea({ study }: StudySides, grid: Grid, spec: NodeSpec): NodeSpec {
  if (!study.studyArea) {
    throw new AppError(
      422,
      "invalid",
      "This study has no study area",
      "studyArea",
      "Draw one in Scenes, or count everything.",
    );
  }
  const polygons = areaOnGrid(multiPolygonFrom(study.studyArea), grid);
  return node("bands.mask", {}, spec, node("mask.studyArea", { polygons }, spec));
}

/** @throws AppError where there are too few dates to compare, or too many to measure */
function requireCount(dates: number, band: string): void {
  if (dates < 2) {
    throw new AppError(
      422,
      "tooFewDates",
      dates ? `Only one date has the band ${band}` : `No date of this kind has the band ${band}`,
      "band",
      "Two dates or more are needed; see Scenes and Prepare.",
    );
  }
  if (dates > MOST_DATES) {
    throw new AppError(
      422,
      "tooManyDates",
      `${dates} dates are more than ${MOST_DATES}`,
      "kind",
      "Take dates out of the study.",
    );
  }
}

const datesOf = (all: StudySides, kind: string): ReadyScene[] =>
  all.scenes
    .filter(isDate)
    .filter((scene) => scene.kind === kind && scene.acquiredAt)
    .sort((a, b) => (a.acquiredAt! < b.acquiredAt! ? -1 : 1));

/**
 * Every date of a kind with the band that is asked for, all on the grid of the first. Frames of one
 * day that were joined are one date.
 *
 * @throws AppError where there are too few, too many, or no study area that is asked for
 */
export async function seriesDates(
  sources: StoredSources,
  all: StudySides,
  ask: SeriesAsk,
): Promise<SeriesDates> {
  const dates: SeriesDate[] = [];
  const left: SeriesDates["left"] = [];
  const seen = new Set<string>();
  let common: Common | null = null;
  for (const scene of datesOf(all, ask.kind)) {
    try {
      const side = await sideNode(sources, all, scene);
      common ??= commonOf(side.info, ask.band);
      const { grid, band } = common;
      const whole = dateNodes(side, [sameBand(band, side.info)], grid, ask.speckle).db;
      const spec = ask.studyArea ? insideArea(all, grid, whole) : whole;
      const hash = nodeHash(spec, versionOf);
      if (!seen.has(hash)) {
        seen.add(hash);
        dates.push({ scene, node: spec });
      }
    } catch (error) {
      if (!(error instanceof InputError)) {
        throw error;
      }
      left.push({ sceneId: scene.id, name: scene.name, reason: error.message });
    }
  }
  requireCount(dates.length, ask.band);
  const { grid, band, isPower } = common!;
  return { dates, left, grid, unit: isPower ? "dB" : band.unit, decibel: isPower };
}

/** What a count is kept by: the dates, the threshold and the zones. */
export const seriesKey = (hashes: string[], { op, value }: SeriesAsk, zones: ZonePolygons) =>
  createHash("sha256")
    .update(
      canonicalJson({ dates: hashes, op, value, zones: zones.map(({ polygons }) => polygons) }),
    )
    .digest("hex")
    .slice(0, 32);

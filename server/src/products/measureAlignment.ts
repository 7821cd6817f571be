import type { LevelMethod, Levelling, OffsetPlace } from "@hindglance/core/align/alignment";
import type { LevelFit } from "@hindglance/core/align/levelling";
import { type OffsetModel, type OffsetResult, offsetPath } from "@hindglance/core/align/offset";
import { sameBand } from "@hindglance/core/change/setup";
import { isPictureFrame } from "@hindglance/core/grid/frames";
import { type Grid, squareNorthUp, toMap } from "@hindglance/core/grid/grid";
import { toldCellSize } from "@hindglance/core/grid/metres";
import { AppError } from "../errors";
import type { StoredSources } from "../eval/sources";
import type { PreviewPool } from "../preview/pool";
import { bandNamed, bandsOnGrid, commonBands, pairIn, rawImage, sideImage } from "./alignedPair";
import { named } from "./leftToRun";
import type { StudySides } from "./sides";

/** What measuring works with. */
interface Measuring {
  sources: StoredSources;
  previews: PreviewPool;
}
interface PairAsk {
  referenceId: string;
  sceneId: string;
}
/** Ratios of a peak to the next one that are told; past that they are endless. */
const MOST_RATIO = 1e6;

/** The windows that were looked at, on the map. */
const matchesOn = (grid: Grid, { matches, fit }: OffsetResult): OffsetPlace["matches"] =>
  matches.map((match, k) => {
    const [x, y] = toMap(grid, match.col, match.row);
    const [movedX, movedY] = toMap(grid, match.col + match.dCol, match.row + match.dRow);
    return {
      x,
      y,
      dx: movedX - x,
      dy: movedY - y,
      ratio: Math.min(MOST_RATIO, match.ratio),
      kept: fit.kept[k]!,
    };
  });

/**
 * Measures how a date lies off another. @throws AppError 422 where the two cannot be laid on each
 * other
 */
export async function measureOffset(
  { sources, previews }: Measuring,
  all: StudySides,
  ask: PairAsk & { band: string; model: OffsetModel },
): Promise<OffsetPlace> {
  const pair = pairIn(all, ask, "A date cannot be aligned with itself");
  const reference = await sideImage(sources, all, pair.reference);
  const date = await rawImage(sources, all, pair.date);
  if (isPictureFrame(date.info.grid.crs)) {
    throw new AppError(
      422,
      "invalid",
      `${pair.date.name} has no position yet: an offset can be measured where dates lie nearly on each other`,
      "sceneId",
      "Mark control points.",
    );
  }
  const band = bandNamed(reference, ask.band, pair.reference);
  const same = await named(pair.date, async () => sameBand(reference.info.bands[band]!, date.info));
  const grid = squareNorthUp(reference.info.grid);
  const found = await previews.offset({
    reference: bandsOnGrid(reference, [band], grid),
    other: bandsOnGrid(date, [same], grid),
    model: ask.model,
  });
  return {
    kind: "offset",
    referenceId: pair.reference.id,
    band: ask.band,
    model: ask.model,
    path: offsetPath(found.fit, grid),
    tried: found.tried,
    rmseCells: found.fit.rmseCells,
    cellM: toldCellSize(grid),
    kernel: "cubic",
    matches: matchesOn(grid, found),
  };
}

/** A study in which a date is not levelled. */
const withoutLevel = (all: StudySides, sceneId: string): StudySides => ({
  ...all,
  align: { ...all.align, [sceneId]: { place: all.align[sceneId]?.place ?? null, level: null } },
});

/**
 * Measures how the numbers of a date lie off another's. @throws AppError 422 where the two have no
 * band in common
 */
export async function measureLevel(
  { sources, previews }: Measuring,
  all: StudySides,
  ask: PairAsk & { method: LevelMethod },
): Promise<{ level: Levelling; fit: LevelFit }> {
  const pair = pairIn(all, ask, "A date cannot be levelled to itself");
  const reference = await sideImage(sources, all, pair.reference);
  const date = await sideImage(sources, withoutLevel(all, pair.date.id), pair.date);
  const common = commonBands(date, reference);
  if (common.length === 0) {
    throw new AppError(
      422,
      "invalid",
      `${pair.date.name} and ${pair.reference.name} have no band in common`,
      "referenceId",
      "Pick a date of the same kind.",
    );
  }
  const grid = squareNorthUp(reference.info.grid);
  const fit = await previews.level({
    reference: bandsOnGrid(
      reference,
      common.map(({ inReference }) => inReference),
      grid,
    ),
    other: bandsOnGrid(
      date,
      common.map(({ at }) => at),
      grid,
    ),
    method: ask.method,
    names: common.map(({ band }) => band.name),
  });
  const bands = fit.bands.map(({ band, multiply, add, curve }) => ({
    ...{ band, multiply, add },
    ...(curve ? { curve } : {}),
  }));
  return {
    level: { referenceId: pair.reference.id, method: ask.method, cells: fit.cells, bands },
    fit,
  };
}

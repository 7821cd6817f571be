import type { ChangeSetup } from "@hindglance/core/change/setup";
import { measureOf } from "@hindglance/core/change/measures/all";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK, type Grid } from "@hindglance/core/grid/grid";
import { boundsOnGlobe } from "@hindglance/core/patches/boundsOnGlobe";
import { patchMeans, patchZones, perimeterM } from "@hindglance/core/patches/facts";
import { labelRuns } from "@hindglance/core/patches/label";
import { type PatchedImage, mostCovering, numbersOf } from "@hindglance/core/patches/overlap";
import { polygonise } from "@hindglance/core/patches/polygonise";
import { type Runs, RunsBuilder } from "@hindglance/core/patches/runs";
import { rasterise } from "@hindglance/core/vector/rasterise";
import { patchGeometry } from "@hindglance/formats/tables/geojson";
import { isDeepStrictEqual } from "node:util";
import { readBlocks } from "../db/blocks";
import type { NewPatch } from "../db/changeMaps";
import { type Heir, type JudgedMap, findJudgedMaps } from "../db/verdicts";
import { AppError } from "../errors";
import type { ZonePolygons } from "../products/zonePolygons";
import type { RangeContext } from "./kind";
import type { NumbersAt } from "./stripSums";

/** The map whose patches are made. */
export interface MapToCut {
  imageId: string;
  /** Numbers of patches that somebody gave an outline, where the map has any. */
  patchImageId?: string | null;
  info: ImageInfo;
  setup: ChangeSetup;
  zones: ZonePolygons;
}

/**
 * Patches beyond this number say that the map is noise; the figure keeps a run's memory within its
 * bound.
 */
const MAX_PATCHES = 2_000_000;
/** Layers whose means patches have: the measure, and elevation where there is some. */
const FACTS = 2;
/** More than this share of a patch must be covered by an earlier one for its verdicts to be taken over. */
const MOST = 0.5;

/** Puts the blocks of a row of blocks of a stored image into whole rows of cells. */
async function intoRows(
  imageId: string,
  { row, width, height }: { row: number; width: number; height: number },
  out: Uint8Array | Uint32Array,
  { db }: RangeContext,
): Promise<void> {
  const across = Math.ceil(width / BLOCK);
  const blocks = await db.withClient((client) =>
    readBlocks(client, imageId, 0, row, row + 1, 0, across),
  );
  for (const { col, cells } of blocks) {
    const w = Math.min(BLOCK, width - col * BLOCK);
    for (let r = 0; r < height; r++) {
      out.set(cells.subarray(r * w, (r + 1) * w), r * width + col * BLOCK);
    }
  }
}

/**
 * Reads the numbers of patches that somebody gave an outline, in whole rows of blocks; null for a map
 * without any. Blocks without such patches are not stored.
 */
export const numbersOfImage = (
  patchImageId: string | null,
  { width }: Grid,
  ctx: RangeContext,
): NumbersAt | null =>
  patchImageId === null
    ? null
    : async (first, height) => {
        const numbers = new Uint32Array(width * height);
        await intoRows(patchImageId, { row: first / BLOCK, width, height }, numbers, ctx);
        return numbers;
      };

/** The runs of a stored class image, and of the patches that somebody gave an outline. */
export async function runsOfImage(
  imageId: string,
  grid: Grid,
  ctx: RangeContext,
  patchImageId: string | null = null,
): Promise<Runs> {
  const { width, height } = grid;
  const builder = new RunsBuilder(width, height);
  const numbersAt = numbersOfImage(patchImageId, grid, ctx);
  for (let row = 0; row * BLOCK < height; row++) {
    ctx.signal.throwIfAborted();
    const h = Math.min(BLOCK, height - row * BLOCK);
    const strip = new Uint8Array(width * h);
    await intoRows(imageId, { row, width, height: h }, strip, ctx);
    const numbers = await numbersAt?.(row * BLOCK, h);
    for (let r = 0; r < h; r++) {
      const [from, to] = [r * width, (r + 1) * width];
      builder.addRow(strip.subarray(from, to), numbers?.subarray(from, to));
    }
  }
  return builder.finish();
}

/** The patches of a stored class image. @throws AppError where they are too many to be a map */
export async function patchedImage(
  { imageId, patchImageId, info, setup }: Omit<MapToCut, "zones">,
  ctx: RangeContext,
): Promise<PatchedImage> {
  const runs = await runsOfImage(imageId, info.grid, ctx, patchImageId);
  const labelling = labelRuns(runs, setup.limits.neighbours);
  if (labelling.count > MAX_PATCHES) {
    throw new AppError(
      422,
      "tooManyPatches",
      `This map falls into ${labelling.count.toLocaleString("en")} patches, which is noise and not a map`,
      "setup.limits.minPatchCells",
      "Use a speckle filter or a larger minimum patch.",
    );
  }
  return { runs, labelling };
}

/** The zone of each cell of a row, strip by strip; rows are asked for from the top. */
export function zoneRows({
  zones,
  info: { grid },
}: Pick<MapToCut, "zones" | "info">): (row: number) => Uint16Array {
  const { width, height } = grid;
  let strip = { row: -1, zones: new Uint16Array(0) };
  return (row) => {
    const first = row - (row % BLOCK);
    if (strip.row !== first) {
      const window = { col: 0, row: first, width, height: Math.min(BLOCK, height - first) };
      strip = { row: first, zones: new Uint16Array(width * window.height) };
      zones.forEach(({ polygons }, k) => rasterise(polygons, grid, window, k + 1, strip.zones));
    }
    return strip.zones.subarray((row - first) * width, (row - first + 1) * width);
  };
}

/**
 * Patches of a map as they are kept, the largest first.
 * @param sums those of all class runs of the image, by layer
 */
export function patchesOf(map: MapToCut, image: PatchedImage, sums: Float64Array): NewPatch[] {
  const { runs, labelling } = image;
  const { grid } = map.info;
  // Degrees of a direction have no plain mean: 350 and 10 are not 180.
  const round = measureOf(map.setup.measure).circular ?? false;
  const means = patchMeans(runs, labelling, sums, FACTS);
  const mean = (k: number) => (Number.isFinite(means[k]!) ? means[k]! : null);
  const areas = cellAreas(grid);
  const zones = map.zones.length > 0 ? patchZones(image, zoneRows(map), areas) : [];
  return polygonise(runs, map.setup.limits.neighbours, areas)
    .map((shape, i) => ({
      shape,
      zones: zones[i] ?? [],
      measure: round ? null : mean(i * FACTS),
      elevation: mean(i * FACTS + 1),
      edited: false,
    }))
    .sort((a, b) => b.shape.cells - a.shape.cells)
    .map(({ shape, ...facts }, i) => ({
      number: i + 1,
      label: shape.label,
      cells: shape.cells,
      areaM2: shape.areaM2,
      perimeterM: perimeterM(shape, grid),
      ...facts,
      ...boundsOnGlobe(
        shape.polygons.flatMap((poly) => poly[0]!),
        grid,
      ),
      geometry: JSON.stringify(patchGeometry(shape, grid)),
    }));
}

/** Verdicts that patches of a map take over from those of an earlier one. */
export interface Inheritance {
  /** The earlier map. */
  map: string;
  name: string;
  heirs: Heir[];
}

/**
 * Which patches of a map lie on judged ones of the latest map that was judged on the same grid: on one of
 * the class of the same name, which covers most of the patch. Null where no map was judged.
 */
export async function inheritanceOf(
  { info }: MapToCut,
  image: PatchedImage,
  studyId: string,
  ctx: RangeContext,
): Promise<Inheritance | null> {
  const judged = await ctx.db.withClient((client) => findJudgedMaps(client, studyId));
  const earlier = judged.find((one) => isDeepStrictEqual(one.info.grid, info.grid));
  if (!earlier) {
    return null;
  }
  return heirsOf(info, image, earlier, ctx);
}

/** Which patches of a map lie on those of another map of its grid that was judged. */
export async function heirsOf(
  info: ImageInfo,
  image: PatchedImage,
  earlier: JudgedMap,
  ctx: RangeContext,
): Promise<Inheritance> {
  const older = await patchedImage(earlier, ctx);
  const nameOf = new Map(earlier.info.classes?.map(({ label, name }) => [label, name]));
  const labelOf = new Map(info.classes?.map(({ label, name }) => [name, label]));
  const sameAs = (label: number) => labelOf.get(nameOf.get(label) ?? "") ?? null;
  const [numbers, oldNumbers] = [numbersOf(image), numbersOf(older)];
  const heirs = mostCovering(image, older, sameAs).flatMap((cover, id): Heir[] => {
    const share = cover ? cover.cells / image.labelling.sizes[id]! : 0;
    return cover && share > MOST
      ? [{ patch: numbers[id]!, from: oldNumbers[cover.patch]!, share }]
      : [];
  });
  return { map: earlier.id, name: earlier.name, heirs };
}

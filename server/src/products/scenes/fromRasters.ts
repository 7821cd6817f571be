import { randomUUID } from "node:crypto";
import type { BandInfo, BandRole, ImageInfo } from "@hindglance/core/graph/image";
import { isSensorFrame, pictureFrame } from "@hindglance/core/grid/frames";
import { type Grid, type Window, levelCount } from "@hindglance/core/grid/grid";
import { cutGrid, unionGrid } from "@hindglance/core/grid/union";
import { type SceneKind, hasDate } from "@hindglance/core/scene/kinds";
import { crsOfEpsg } from "@hindglance/formats/crs/epsg";
import { cornersOf, requirePlaced } from "@hindglance/formats/crs/place";
import { type Blob, findBlob } from "../../db/blobs";
import type { RasterInspection } from "../../db/inspection";
import { createImage } from "../../db/images";
import type { Client } from "../../db/pool";
import { AppError } from "../../errors";
import { NO_SYSTEM } from "../inspect/raster";
import type { ImportParams } from "../plans";
import { answersOf } from "./answers";
import { type NewScene, beginImport } from "./beginImport";
import { classesFrom } from "./classes";
import { keptPart } from "./keptPart";
import type { SaidOfScene, SceneServices } from "./said";

/** A file with what was found in it. */
interface Raster {
  blob: Blob;
  detail: RasterInspection;
}

function roleOf(kind: SceneKind, band: BandInfo, unit: string | null | undefined): BandRole {
  switch (kind) {
    case "elevation":
      return "elevation";
    case "classes":
      return "classes";
    case "radar":
      return (unit ? unit === "dB" : band.role === "decibel") ? "decibel" : "power";
    default:
      return "value";
  }
}

function unitOf(role: BandRole, unit: string): string {
  switch (role) {
    case "elevation":
      return unit || "m";
    case "decibel":
      return "dB";
    case "power":
      return "";
    default:
      return unit;
  }
}

/** What the bands of a scene are, from the file and from what the person said. */
function bandsFor({ bands }: RasterInspection, said: SaidOfScene): BandInfo[] {
  return bands.map((band, k) => {
    const own = said.bands?.[k];
    const vertical = said.vertical ?? band.vertical;
    const polarisation = own?.polarisation ?? band.polarisation;
    const role = roleOf(said.kind, band, own?.unit);
    return {
      ...band,
      role,
      unit: unitOf(role, band.unit),
      ...(polarisation ? { polarisation } : {}),
      ...(role === "elevation" && vertical ? { vertical } : {}),
    };
  });
}

const invalid = (message: string, field: string, hint?: string): AppError =>
  new AppError(422, "invalid", message, field, hint);

/** Image files with what was found in them. @throws AppError naming a file that is none */
function rastersOf(blobs: readonly Blob[]): Raster[] {
  return blobs.map((blob) => {
    const { detail } = blob;
    if (detail?.form === "raster") {
      return { blob, detail };
    }
    const why =
      detail?.form === "vectors"
        ? "holds features, not an image"
        : "cannot be joined with other files";
    throw invalid(`${blob.name} ${why}`, "uploadId");
  });
}

/** @throws AppError where files have different numbers of bands */
function requireSameBands(rasters: readonly Raster[]): void {
  const [first] = rasters;
  const bands = first!.detail.bands.length;
  const uneven = rasters.find(({ detail }) => detail.bands.length !== bands);
  if (uneven) {
    throw invalid(
      `${uneven.blob.name} has ${uneven.detail.bands.length} bands, ${first!.blob.name} has ${bands}`,
      "uploadId",
    );
  }
}

/** When a scene was taken, as it is said or as the file has it. @throws AppError */
function acquiredAtOf({ blob, detail }: Raster, said: SaidOfScene): string | null {
  const acquiredAt = said.acquiredAt === undefined ? detail.acquiredAt : said.acquiredAt;
  if (!acquiredAt && hasDate(said.kind)) {
    throw invalid(
      `When was ${blob.name} taken? The file does not say`,
      "acquiredAt",
      "Give the date and time in UTC.",
    );
  }
  return acquiredAt ?? null;
}

/** @throws AppError where numbers would be rounded, and nobody said that they may be */
function requireUnrounded({ blob, detail }: Raster, { kind, rounded }: SaidOfScene): void {
  const { rounding } = detail;
  // Labels of classes are whole numbers up to 254, or refused.
  if (rounding && !rounded && kind !== "classes") {
    throw invalid(
      `${blob.name} holds numbers that would be rounded: ${rounding.value} would become ${rounding.becomes}`,
      "rounded",
      "Say that they may be rounded to seven digits, or save them as 32-bit floats.",
    );
  }
}

/** What has one band, in words. */
const SINGLE_BANDS: Partial<Record<SceneKind, string>> = {
  elevation: "elevation",
  classes: "a classified raster",
  population: "a population grid",
};

/** @throws AppError where a file cannot be what it is said to be */
function requireFits({ blob, detail }: Raster, { kind, rescale }: SaidOfScene): void {
  const { length } = detail.bands;
  const single = SINGLE_BANDS[kind];
  if (single && length !== 1) {
    throw invalid(`${blob.name} has ${length} bands; ${single} has one`, "kind");
  }
  if (rescale && kind === "classes") {
    throw invalid("Classes have no scale", "rescale");
  }
  if (rescale && !(rescale.scale !== 0)) {
    throw invalid("The scale must not be 0", "rescale");
  }
}

/** @throws AppError where a scene of this kind needs a place, or a polarisation, and has none */
function requireKnown(
  { blob, detail }: Raster,
  kind: SceneKind,
  grids: readonly Grid[],
  bands: readonly BandInfo[],
): void {
  const isLost = grids.some(({ crs }) => isSensorFrame(crs));
  // Radar that brings its points lies on the map as soon as Align is asked.
  const isPlaceable = kind === "radar" && (detail.groundPoints?.length ?? 0) > 2;
  const needsPlace = kind === "elevation" || kind === "radar" || kind === "population";
  if (isLost && ((needsPlace && !isPlaceable) || grids.length > 1)) {
    throw invalid(
      `${blob.name} does not say where on the ground it lies`,
      "kind",
      "Import it as a picture, give its coordinate system, or put it on the map first.",
    );
  }
  if (kind === "radar" && bands.some(({ polarisation }) => !polarisation)) {
    throw invalid(
      `Which polarisation has ${blob.name}? The file does not say`,
      "bands",
      "Give VV, VH, HH or HV for every band.",
    );
  }
}

/**
 * Where a raster lies: as its file says; by the code that the person gives for its transform; a
 * picture without position lies in a frame of its own until it is aligned.
 */
async function gridFor(detail: RasterInspection, epsg: number | undefined): Promise<Grid> {
  const { grid, transform, width, height } = detail;
  if (grid) {
    return grid;
  }
  if (!transform) {
    return { crs: pictureFrame(randomUUID()), transform: [0, 1, 0, 0, 0, 1], width, height };
  }
  if (!epsg) {
    throw invalid(detail.noPosition || NO_SYSTEM, "epsg", "Give its EPSG code.");
  }
  const crs = await crsOfEpsg(epsg, cornersOf({ transform, width, height }));
  return requirePlaced({ crs, transform, width, height });
}

/** Labels that a classified raster is taken to have where no legend names them. */
const USUAL_LABELS = Array.from({ length: 32 }, (_v, k) => k + 1);

/** Classes of a classified raster: those that its legend names, else the usual ones. */
function classesOf({ items, palette }: RasterInspection) {
  const legend = items.LEGEND;
  const named = Array.from({ length: 255 }, (_v, k) => k).filter((label) =>
    new RegExp(`(^|;)\\s*${label}=`).test(legend ?? ""),
  );
  return classesFrom(legend, palette, legend ? named : USUAL_LABELS);
}

function infoFor(
  kind: SceneKind,
  grid: Grid,
  bands: BandInfo[],
  detail: RasterInspection,
): ImageInfo {
  return kind === "classes"
    ? { grid, type: "class8", bands, classes: classesOf(detail) }
    : { grid, type: "float32", bands };
}

/** A file as a scene remembers it. */
const partOf = ({ name, sha256, size }: Pick<Blob, "name" | "sha256" | "size">) => ({
  ...{ name, size },
  sha256: sha256!,
});

/** Files that say which cells of the images beside them are valid. @throws AppError 410 */
async function masksOf(client: Client, rasters: readonly Raster[]): Promise<Blob[]> {
  const masks: Blob[] = [];
  for (const { blob, detail } of rasters) {
    const mask = detail.mask && (await findBlob(client, detail.mask.blobId));
    if (mask) {
      masks.push(mask);
    } else if (detail.mask) {
      throw new AppError(
        410,
        "gone",
        `The mask of ${blob.name} is no longer there`,
        "uploadId",
        "Send both files again.",
      );
    }
  }
  return masks;
}

/** What is written down of a scene. */
function recordOf(
  studyId: string,
  rasters: readonly Raster[],
  said: SaidOfScene,
  whole: Grid,
  leftOut: string | null,
  masks: readonly Blob[],
) {
  const first = rasters[0]!;
  const { blob } = first;
  const parts = [
    ...rasters.map(({ blob }) => partOf(blob)),
    ...masks.map(partOf),
    ...rasters.flatMap(({ detail }) => detail.beside ?? []).map(partOf),
  ];
  const others = rasters.length - 1;
  const answers = answersOf(first.detail, said);
  return {
    studyId,
    kind: said.kind,
    name: said.name ?? blob.name.replace(/\.[^.]+$/, ""),
    acquiredAt: acquiredAtOf(first, said),
    fileName: others > 0 ? `${blob.name} and ${others} more` : blob.name,
    fileSize: parts.reduce((sum, { size }) => sum + size, 0),
    fileSha256: blob.sha256!,
    detail: {
      ...first.detail,
      width: whole.width,
      height: whole.height,
      grid: undefined,
      bands: undefined,
      leftOut,
      ...(parts.length > 1 ? { parts } : {}),
      ...(answers ? { answers } : {}),
      ...said.detail,
    },
  };
}

/** The texts beside an image, which the run does not read. */
const besideOf = ({ detail }: Raster): string[] =>
  (detail.beside ?? []).flatMap(({ blobId }) => blobId ?? []);

/** Where each file lies in the part that is kept. */
const tilesOf = (
  rasters: readonly Raster[],
  offsets: readonly { col: number; row: number }[],
  window: Window,
) =>
  rasters.map(({ blob, detail: { mask, stated } }, k) => ({
    blobId: blob.id,
    ...(mask ? { mask } : {}),
    ...(stated ? { stated } : {}),
    col: offsets[k]!.col - window.col,
    row: offsets[k]!.row - window.row,
  }));

/**
 * Rasters that lie on one raster of cells become one scene (tiles of elevation, say; where they
 * overlap the first one counts); with a study area only the part that shows it is kept.
 *
 * @throws AppError naming the file and what is missing or does not fit
 */
export async function fromRasters(
  { submit }: SceneServices,
  client: Client,
  studyId: string,
  blobs: readonly Blob[],
  said: SaidOfScene,
): Promise<NewScene> {
  const rasters = rastersOf(blobs);
  const first = rasters[0]!;
  const { blob, detail } = first;
  requireSameBands(rasters);
  acquiredAtOf(first, said);
  rasters.forEach((raster) => {
    requireFits(raster, said);
    requireUnrounded(raster, said);
  });
  const masks = await masksOf(client, rasters);
  const bands = bandsFor(detail, said);
  const grids = await Promise.all(rasters.map((raster) => gridFor(raster.detail, said.epsg)));
  requireKnown(first, said.kind, grids, bands);
  const whole = unionGrid(
    grids,
    blobs.map(({ name }) => name),
  );
  const name = said.name ?? blob.name;
  const { window, leftOut } = await keptPart(client, studyId, whole.grid, said.kind, name);
  const grid = cutGrid(whole.grid, window);
  const info = infoFor(said.kind, grid, bands, detail);
  const imageId = await createImage(client, info, levelCount(grid.width, grid.height));
  const scene = recordOf(studyId, rasters, said, whole.grid, leftOut, masks);
  const { answers } = scene.detail;
  const spare = rasters.flatMap((raster) => besideOf(raster));
  const params: Omit<ImportParams, "sceneId"> = {
    tiles: tilesOf(rasters, whole.offsets, window),
    imageId,
    info,
    fileName: blob.name,
    leftOut,
    ...(spare.length > 0 ? { spare } : {}),
    ...(said.rescale ? { rescale: said.rescale } : {}),
    ...(answers ? { answers } : {}),
  };
  return beginImport(submit, client, {
    scene,
    blobIds: [...[...blobs, ...masks].map(({ id }) => id), ...spare],
    kind: "importScene",
    title: `Import ${name}`,
    params,
  });
}

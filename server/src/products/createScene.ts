import { randomUUID } from "node:crypto";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import type { BandInfo, BandRole, ImageInfo, VerticalDatum } from "@hindglance/core/graph/image";
import { type Grid, cellSize, fullWindow, levelCount, toCell } from "@hindglance/core/grid/grid";
import { cutGrid, unionGrid, windowAround } from "@hindglance/core/grid/union";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";

import { crsOfEpsg } from "@hindglance/formats/crs/epsg";
import { readSafe } from "@hindglance/formats/product/safe";

import { type Blob, setBlobPurpose } from "../db/blobs";
import { createImage } from "../db/images";
import type { Client, Database } from "../db/pool";
import { saveLuts } from "../db/products";
import { type Scene, createScene, findScene, setSceneRun } from "../db/scenes";
import { findStudy, touchStudy } from "../db/studies";
import { AppError } from "../errors";

import { partGrid, partOf, partOutline } from "./part";
import { type UploadedFiles, openUploaded } from "./uploaded";
import { isSensorFrame, pictureFrame } from "@hindglance/core/grid/frames";
import type { Submit, ImportParams, ImportTile, Rescale } from "./plans";
import { classesFrom } from "./classes";
import type { SceneKind } from "@hindglance/core/scene/kinds";
import { largestCellM } from "@hindglance/core/grid/metres";

/** What a person, or an archive, says of a scene beyond its files. */
export interface SaidOfScene {
  kind: SceneKind;
  name?: string;
  acquiredAt?: string | null;
  bands?: { polarisation?: string | null; unit?: string | null }[];
  vertical?: VerticalDatum | null;
  /** Cell size of the bands that an optical scene takes, where there are several. */ cellM?: number;
  /** Bands of other cell sizes come along on these cells. */ bring?: boolean;
  /** EPSG code of a picture whose files give a transform only. */ epsg?: number;
  /** What the numbers stand for, where the file does not say. */ rescale?: Rescale | null;
  detail?: Record<string, unknown>;
}
interface Services {
  db: Database;
  submit: Submit;
}
export interface NewScene {
  scene: Scene;
  runId: string;
}

/**
 * An inspected upload becomes a scene; its cells follow in a run. @throws AppError naming what is
 * missing
 */
export function sceneFrom(
  services: Services,
  client: Client,
  studyId: string,
  blob: Blob,
  said: SaidOfScene,
): Promise<NewScene> {
  if (blob.detail?.form === "product") {
    return fromProduct(services, client, studyId, blob, said);
  }
  if (blob.detail?.form === "stack") {
    return fromStack(services, client, studyId, blob, said);
  }
  return fromRasters(services, client, studyId, [blob], said);
}

interface RasterDetail {
  form: string;
  width: number;
  height: number;
  grid: Grid | null;
  transform?: Grid["transform"] | null;
  kind: SceneKind | null;
  acquiredAt: string | null;
  bands: BandInfo[];
  items: Record<string, string>;
  palette: string[] | null;
}

/** What the bands of a scene are, from the file and from what the person said. */
function bandsFor(kind: SceneKind, rasterDetail: RasterDetail, said: SaidOfScene): BandInfo[] {
  return rasterDetail.bands.map((band, i) => {
    const s = said.bands?.[i];
    const vertical = said.vertical ?? band.vertical;
    const polarisation = s?.polarisation ?? band.polarisation;
    let role: BandRole;
    if (kind === "elevation") {
      role = "elevation";
    } else if (kind === "classes") {
      role = "classes";
    } else if (kind === "radar") {
      if (s?.unit ? s.unit === "dB" : band.role === "decibel") {
        role = "decibel";
      } else {
        role = "power";
      }
    } else {
      role = "value";
    }
    return {
      ...band,
      role,
      unit:
        role === "elevation"
          ? band.unit || "m"
          : role === "decibel"
            ? "dB"
            : role === "power"
              ? ""
              : band.unit,
      ...(polarisation ? { polarisation } : {}),
      ...(role === "elevation" && vertical ? { vertical } : {}),
    };
  });
}

/**
 * A radar product becomes a scene in sensor geometry; with a study area only the part that shows it
 * is kept.
 */
async function fromProduct(
  { db, submit }: Services,
  client: Client,
  studyId: string,
  blob: Blob,
  { name, detail: more }: SaidOfScene,
): Promise<NewScene> {
  const files = blob.detail!.files as UploadedFiles;
  const study = (await findStudy(client, studyId))!;
  const product = await readSafe(await openUploaded(db, files));
  const { part, leftOut } = partOf(
    product.sensor,
    study.studyArea ? multiPolygonFrom(study.studyArea) : null,
    product.name,
  );
  const info: ImageInfo = {
    grid: partGrid(randomUUID(), part),
    type: "float32",
    stored: "uint16",
    bands: product.polarisations.map((polarisation) => ({
      name: `amplitude ${polarisation.name}`,
      unit: "DN",
      role: "amplitude",
      polarisation: polarisation.name,
    })),
    sensor: product.sensor,
  };
  const imageId = await createImage(client, info, levelCount(part.width, part.height));
  const acquiredAt = blob.detail!.acquiredAt as string;
  await saveLuts(client, imageId, product.luts);
  const detail = {
    form: "product",
    product: product.name,
    mission: product.mission,
    mode: product.mode,
    productType: product.productType,
    pass: product.pass,
    look: product.look,
    start: product.start,
    stop: product.stop,
    absoluteOrbit: product.absoluteOrbit,
    polarisations: product.polarisations.map((polarisation) => polarisation.name),
    incidenceDeg: product.incidenceDeg,
    lines: product.sensor.lines,
    samples: product.sensor.samples,
    sampleSpacingM: product.sensor.sampleSpacingM,
    lineSpacingM: product.sensor.lineSpacingM,
    part,
    leftOut,
    warnings: product.warnings,
    outline: partOutline(product.sensor, part),
    sensor: product.sensor,
    ...more,
  };
  const sceneId = await createScene(client, {
    studyId,
    kind: "radar",
    name: name ?? `${product.mission} ${product.mode}, ${acquiredAt.slice(0, 10)}`,
    acquiredAt,
    fileName: blob.name,
    fileSize: files.blobs.reduce((s, x) => s + x.size, 0),
    fileSha256: blob.sha256!,
    detail,
  });
  for (const fraction of files.blobs) {
    await setBlobPurpose(client, fraction.id, "import");
  }
  const runId = await submit({
    studyId,
    kind: "importProduct",
    title: `Import ${product.name}`,
    params: {
      sceneId,
      imageId,
      info,
      fileName: blob.name,
      files,
      polarisations: product.polarisations,
      part,
      leftOut,
    },
  });
  await setSceneRun(client, sceneId, runId);
  await touchStudy(client, studyId);
  return { scene: (await findScene(client, sceneId))!, runId };
}

/**
 * Ground around the study area that is kept of a map: for filters and slopes, and for mountains
 * that hide the area from the sensor.
 */
const MARGIN_CELLS = 150;
const ELEVATION_MARGIN_M = 4000;

/**
 * Rasters that lie on one raster of cells become one scene (tiles of elevation, say; where they
 * overlap the first one counts); with a study area
 * only the part that shows it is kept.
 */
export async function fromRasters(
  { submit }: Services,
  client: Client,
  studyId: string,
  blobs: readonly Blob[],
  said: SaidOfScene,
): Promise<NewScene> {
  const blob = blobs[0]!;
  const all = blobs.map((b) => b.detail as unknown as RasterDetail);
  const rasterDetail = all[0]!;
  const { kind } = said;
  const other = blobs.find((b) => b.detail?.form !== "raster");
  if (other) {
    throw new AppError(
      422,
      "invalid",
      `${other.name} ${other.detail?.form === "zones" ? "holds zones, not an image" : "cannot be joined with other files"}`,
      "uploadId",
    );
  }
  const acquiredAt = said.acquiredAt !== undefined ? said.acquiredAt : rasterDetail.acquiredAt;
  if (!acquiredAt && kind !== "elevation") {
    throw new AppError(
      422,
      "invalid",
      `When was ${blob.name} taken? The file does not say`,
      "acquiredAt",
      "Give the date and time in UTC.",
    );
  }
  if ((kind === "elevation" || kind === "classes") && rasterDetail.bands.length !== 1) {
    throw new AppError(
      422,
      "invalid",
      `${blob.name} has ${rasterDetail.bands.length} bands; ${kind === "elevation" ? "elevation" : "a classified raster"} has one`,
      "kind",
    );
  }
  const uneven = all.findIndex((x) => x.bands.length !== rasterDetail.bands.length);
  if (uneven >= 0) {
    throw new AppError(
      422,
      "invalid",
      `${blobs[uneven]!.name} has ${all[uneven]!.bands.length} bands, ${blob.name} has ${rasterDetail.bands.length}`,
      "uploadId",
    );
  }
  if (said.rescale && (kind === "classes" || !(said.rescale.scale !== 0))) {
    throw new AppError(
      422,
      "invalid",
      kind === "classes" ? "Classes have no scale" : "The scale must not be 0",
      "rescale",
    );
  }
  const bands = bandsFor(kind, rasterDetail, said);
  const grids = await Promise.all(all.map((x) => gridFor(x, said.epsg)));
  if (
    grids.some((sceneGrid) => isSensorFrame(sceneGrid.crs)) &&
    (kind === "elevation" || kind === "radar" || blobs.length > 1)
  ) {
    throw new AppError(
      422,
      "invalid",
      `${blob.name} does not say where on the ground it lies`,
      "kind",
      "Import it as a picture, give its coordinate system, or put it on the map first.",
    );
  }
  if (kind === "radar" && bands.some((band) => !band.polarisation)) {
    throw new AppError(
      422,
      "invalid",
      `Which polarisation has ${blob.name}? The file does not say`,
      "bands",
      "Give VV, VH, HH or HV for every band.",
    );
  }
  const whole = unionGrid(
    grids,
    blobs.map((b) => b.name),
  );
  const { window, leftOut } = await kept(client, studyId, whole.grid, kind, said.name ?? blob.name);
  const grid = cutGrid(whole.grid, window);
  const info: ImageInfo = {
    grid,
    type: kind === "classes" ? "class8" : "float32",
    bands,
    ...(kind === "classes"
      ? {
          classes: classesFrom(
            rasterDetail.items.LEGEND,
            rasterDetail.palette,
            Array.from({ length: 255 }, (_v, i) => i).filter((i) =>
              rasterDetail.items.LEGEND
                ? new RegExp(`(^|;)\\s*${i}=`).test(rasterDetail.items.LEGEND)
                : i > 0 && i < 33,
            ),
          ),
        }
      : {}),
  };
  const imageId = await createImage(client, info, levelCount(grid.width, grid.height));
  const stem = blob.name.replace(/\.[^.]+$/, "");
  const files = blobs.map((b) => ({ name: b.name, sha256: b.sha256!, size: b.size }));
  const sceneId = await createScene(client, {
    studyId,
    kind,
    name: said.name ?? stem,
    acquiredAt: acquiredAt ?? null,
    fileName: blobs.length > 1 ? `${blob.name} and ${blobs.length - 1} more` : blob.name,
    fileSize: blobs.reduce((n, b) => n + b.size, 0),
    fileSha256: blob.sha256!,
    detail: {
      ...rasterDetail,
      width: whole.grid.width,
      height: whole.grid.height,
      grid: undefined,
      bands: undefined,
      leftOut,
      ...(blobs.length > 1 ? { parts: files } : {}),
      ...said.detail,
    },
  });
  for (const b of blobs) {
    await setBlobPurpose(client, b.id, "import");
  }
  const tiles = blobs.map((b, i) => ({
    blobId: b.id,
    col: whole.offsets[i]!.col - window.col,
    row: whole.offsets[i]!.row - window.row,
  }));
  const runId = await submit({
    studyId,
    kind: "importScene",
    title: `Import ${said.name ?? blob.name}`,
    params: {
      sceneId,
      tiles,
      imageId,
      info,
      fileName: blob.name,
      leftOut,
      ...(said.rescale ? { rescale: said.rescale } : {}),
    } satisfies ImportParams,
  });
  await setSceneRun(client, sceneId, runId);
  await touchStudy(client, studyId);
  return { scene: (await findScene(client, sceneId))!, runId };
}

/**
 * Where a raster lies: as its file says; by the code that the person gives for its transform; a
 * picture without position lies in a frame of its own until it is aligned.
 */
async function gridFor(rasterDetail: RasterDetail, epsg: number | undefined): Promise<Grid> {
  if (rasterDetail.grid) {
    return rasterDetail.grid;
  }
  if (rasterDetail.transform) {
    if (!epsg) {
      throw new AppError(
        422,
        "invalid",
        "The world file gives a transform, and nothing says in which coordinate system",
        "epsg",
        "Give its EPSG code.",
      );
    }
    return {
      crs: await crsOfEpsg(epsg),
      transform: rasterDetail.transform,
      width: rasterDetail.width,
      height: rasterDetail.height,
    };
  }
  return {
    crs: pictureFrame(randomUUID()),
    transform: [0, 1, 0, 0, 0, 1],
    width: rasterDetail.width,
    height: rasterDetail.height,
  };
}

interface StackDetail {
  granule?: boolean;
  files: UploadedFiles;
  acquiredAt: string;
  product: string;
  mission: string;
  sensor: string;
  level: 1 | 2;
  sunElevationDeg: number | null;
  sunAzimuthDeg: number | null;
  cloudCoverPercent: number | null;
  stack: { id: string; file: string; grid: Grid; info: BandInfo }[];
  groups: { cellM: number; bands: string[] }[];
  warnings: string[];
}

/**
 * The band files of an optical scene become one scene of digital numbers, in the order of
 * wavelengths.
 */
async function fromStack(
  { db, submit }: Services,
  client: Client,
  studyId: string,
  blob: Blob,
  said: SaidOfScene,
): Promise<NewScene> {
  const stackDetail = blob.detail as unknown as StackDetail;
  const cellM =
    said.cellM ?? (stackDetail.groups.length === 1 ? stackDetail.groups[0]!.cellM : undefined);
  if (cellM === undefined || !stackDetail.groups.some((group) => group.cellM === cellM)) {
    throw new AppError(
      422,
      "invalid",
      `The bands of ${stackDetail.product} come in cells of ${stackDetail.groups.map((group) => `${group.cellM} m (${group.bands.join(", ")})`).join(" and ")}`,
      "cellM",
      "Say which of them to take.",
    );
  }
  const own = stackDetail.stack.filter((b) => Math.abs(cellSize(b.grid)[0] - cellM) < 1e-5);
  const brought = said.bring
    ? nearestOf(
        stackDetail.stack.filter((b) => !own.some((ownBand) => ownBand.info.name === b.info.name)),
        cellM,
      )
    : [];
  const taken = [...own, ...brought].sort(
    (x, y) => (x.info.wavelengthNm ?? 1e9) - (y.info.wavelengthNm ?? 1e9),
  );
  const left = stackDetail.stack.filter((b) => !taken.some((t) => t.info.name === b.info.name));
  const whole = unionGrid(
    own.map((b) => b.grid),
    own.map((b) => b.file),
  );
  const name =
    said.name ??
    `${stackDetail.mission.replace(/[_-]/g, "")}, ${stackDetail.acquiredAt.slice(0, 10)}`;
  const { window, leftOut } = await kept(client, studyId, whole.grid, "optical", name);
  const grid = cutGrid(whole.grid, window);
  const corner = (sceneGrid: Grid): [number, number] =>
    toCell(whole.grid, sceneGrid.transform[0], sceneGrid.transform[3]);
  const info: ImageInfo = {
    grid,
    type: "float32",
    stored: "uint16",
    bands: taken.map((b) => b.info),
    optical: {
      level: stackDetail.level,
      sunElevationDeg: stackDetail.sunElevationDeg,
      sunAzimuthDeg: stackDetail.sunAzimuthDeg,
      ...(stackDetail.granule && stackDetail.level === 1 ? { bySun: true } : {}),
    },
  };
  const imageId = await createImage(client, info, levelCount(grid.width, grid.height));
  const { files, stack: _stack, groups: _groups, ...facts } = stackDetail;
  const leftNames = [...new Set(left.map((b) => b.info.name))];
  const warnings = [
    ...stackDetail.warnings,
    ...(leftNames.length
      ? [`Bands of another cell size were left out: ${leftNames.join(", ")}.`]
      : []),
    ...(brought.length
      ? [
          `Brought to cells of ${cellM} m: ${brought.map((b) => `${b.info.name} from ${cellSize(b.grid)[0]} m`).join(", ")}.`,
        ]
      : []),
  ];
  const sceneId = await createScene(client, {
    studyId,
    kind: "optical",
    name,
    acquiredAt: stackDetail.acquiredAt,
    fileName: `${stackDetail.product}, ${taken.length} band files`,
    fileSize: files.blobs.reduce((n, b) => n + b.size, 0),
    fileSha256: blob.sha256!,
    detail: {
      ...facts,
      form: "stack",
      width: whole.grid.width,
      height: whole.grid.height,
      leftOut,
      warnings,
      bandFiles: taken.map((b) => ({
        band: b.info.name,
        file: b.file.split("/").pop()!,
        cellM: cellSize(b.grid)[0],
      })),
      ...said.detail,
    },
  });
  for (const fraction of files.blobs) {
    await setBlobPurpose(client, fraction.id, "import");
  }
  const blobOf = (b: StackDetail["stack"][0]) =>
    files.blobs.find(
      (fraction) => fraction.path === b.file || fraction.path.split("/").pop() === b.file,
    )!.id;
  const set = files.zip ? await openUploaded(db, files) : null;
  const entries = set
    ? taken.map((b) => ({
        path: b.file,
        bytes: set.files.find((file) => file.path === b.file)!.size,
      }))
    : [];
  const tiles = taken.map((b, band): ImportTile => {
    const [col, row] = corner(b.grid).map(Math.round) as [number, number];
    const scale = cellSize(b.grid)[0] / cellM;
    return {
      blobId: set ? "" : blobOf(b),
      band,
      ...(set ? { entry: band } : {}),
      col: col - window.col,
      row: row - window.row,
      ...(Math.abs(scale - 1) > 1e-6 ? { scale } : {}),
      ...(stackDetail.granule && b.info.role === "quality" ? { classes: true } : {}),
    };
  });
  const runId = await submit({
    studyId,
    kind: "importScene",
    title: `Import ${name}`,
    params: {
      sceneId,
      tiles,
      imageId,
      info,
      fileName: stackDetail.product,
      leftOut,
      ...(set
        ? { unpack: { files, entries } }
        : {
            spare: files.blobs
              .map((fraction) => fraction.id)
              .filter((id) => !tiles.some((tile) => tile.blobId === id)),
          }),
    } satisfies ImportParams,
  });
  await setSceneRun(client, sceneId, runId);
  await touchStudy(client, studyId);
  return { scene: (await findScene(client, sceneId))!, runId };
}

/**
 * Of each band the file whose cells are nearest in size and a whole multiple, or part, of those
 * that are wanted.
 */
function nearestOf(all: StackDetail["stack"], cellM: number): StackDetail["stack"] {
  const out = new Map<string, StackDetail["stack"][0]>();
  const far = (b: StackDetail["stack"][0]) => Math.abs(Math.log(cellSize(b.grid)[0] / cellM));
  for (const b of all) {
    const k = cellSize(b.grid)[0] / cellM;
    const even = Math.abs(k - Math.round(k)) < 1e-6 || Math.abs(1 / k - Math.round(1 / k)) < 1e-6;
    const old = out.get(b.info.name);
    if (even && (!old || far(b) < far(old))) {
      out.set(b.info.name, b);
    }
  }
  return [...out.values()];
}

/**
 * The part of a map that the study needs. @throws AppError when the map does not show the study
 * area
 */
async function kept(
  client: Client,
  studyId: string,
  grid: Grid,
  kind: SceneKind,
  name: string,
): Promise<{ window: ReturnType<typeof fullWindow>; leftOut: string | null }> {
  const area = (await findStudy(client, studyId))?.studyArea;
  const all = fullWindow(grid);
  if (!area || isSensorFrame(grid.crs)) {
    return { window: all, leftOut: null };
  }
  const pointTransform = transformer(LONLAT, grid.crs);
  const cellM = largestCellM(grid);
  const margin =
    kind === "elevation"
      ? Math.max(MARGIN_CELLS, Math.ceil(ELEVATION_MARGIN_M / cellM))
      : MARGIN_CELLS;
  const window = windowAround(
    grid,
    multiPolygonFrom(area).flatMap((point) => point[0]!.map(([x, y]) => pointTransform(x, y))),
    margin,
  );
  if (!window) {
    throw new AppError(
      422,
      "outside",
      `${name} does not show the study area`,
      "uploadId",
      "Check the study area, or take another file.",
    );
  }
  const share = (window.width * window.height) / (all.width * all.height);
  return share > 0.995
    ? { window: all, leftOut: null }
    : {
        window,
        leftOut: `${Math.round((1 - share) * 100)} % of the file lies away from the study area and was left out: ${window.width} x ${window.height} of ${all.width} x ${all.height} cells were kept`,
      };
}

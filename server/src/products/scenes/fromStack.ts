import type { ImageInfo } from "@hindglance/core/graph/image";
import { type Grid, type Window, cellSize, levelCount, toCell } from "@hindglance/core/grid/grid";
import { cutGrid, unionGrid } from "@hindglance/core/grid/union";
import type { StackBand } from "@hindglance/formats/optical/stack";
import type { Blob } from "../../db/blobs";
import type { StackInspection } from "../../db/inspection";
import { createImage } from "../../db/images";
import type { Client, Lender } from "../../db/pool";
import { AppError } from "../../errors";
import type { ImportParams, ImportTile } from "../plans";
import { nameOf, openUploaded } from "../inspect/uploaded";
import { type NewScene, beginImport } from "./beginImport";
import { keptPart } from "./keptPart";
import type { SaidOfScene, SceneServices } from "./said";

const cellOf = ({ grid }: StackBand): number => cellSize(grid)[0];
const isSame = (a: number, b: number): boolean => Math.abs(a - b) < 1e-5;

/** Cells that the scene gets: those that are asked for, or the only ones. @throws AppError */
function cellsOf({ groups, product }: StackInspection, { cellM }: SaidOfScene): number {
  const wanted = cellM ?? (groups.length === 1 ? groups[0]!.cellM : undefined);
  if (wanted === undefined || !groups.some((group) => group.cellM === wanted)) {
    const choices = groups.map((group) => `${group.cellM} m (${group.bands.join(", ")})`);
    throw new AppError(
      422,
      "invalid",
      `The bands of ${product} come in cells of ${choices.join(" and ")}`,
      "cellM",
      "Say which of them to take.",
    );
  }
  return wanted;
}

/**
 * Of each band the file whose cells are nearest in size and a whole multiple, or part, of those
 * that are wanted.
 */
function nearestOf(all: readonly StackBand[], cellM: number): StackBand[] {
  const out = new Map<string, StackBand>();
  const far = (file: StackBand) => {
    const times = cellOf(file) / cellM;
    return Math.max(times, 1 / times);
  };
  const isWhole = (k: number) => Math.abs(k - Math.round(k)) < 1e-6;
  for (const file of all) {
    const times = cellOf(file) / cellM;
    const old = out.get(file.info.name);
    if ((isWhole(times) || isWhole(1 / times)) && (!old || far(file) < far(old))) {
      out.set(file.info.name, file);
    }
  }
  return [...out.values()];
}

/** Files of a stack, by what becomes of them. */
interface Chosen {
  /** Those that have the cells of the scene. */
  own: StackBand[];
  /** Those that are brought to them. */
  brought: StackBand[];
  /** Both, by wavelength. */
  taken: StackBand[];
  /** Names of bands that no file is taken of. */
  left: string[];
}

function choose({ stack }: StackInspection, cellM: number, bring: boolean): Chosen {
  const own = stack.filter((file) => isSame(cellOf(file), cellM));
  const isIn = (files: readonly StackBand[], { info }: StackBand) =>
    files.some((one) => one.info.name === info.name);
  const others = stack.filter((file) => !isIn(own, file));
  const brought = bring ? nearestOf(others, cellM) : [];
  const taken = [...own, ...brought].sort(
    (a, b) => (a.info.wavelengthNm ?? 1e9) - (b.info.wavelengthNm ?? 1e9),
  );
  const left = stack.filter((file) => !isIn(taken, file)).map(({ info }) => info.name);
  return { own, brought, taken, left: [...new Set(left)] };
}

function warningsOf(
  { warnings }: StackInspection,
  { brought, left }: Chosen,
  cellM: number,
): string[] {
  const from = brought.map((file) => `${file.info.name} from ${cellOf(file)} m`);
  return [
    ...warnings,
    ...(left.length ? [`Bands of another cell size were left out: ${left.join(", ")}.`] : []),
    ...(from.length ? [`Brought to cells of ${cellM} m: ${from.join(", ")}.`] : []),
  ];
}

function infoOf(detail: StackInspection, grid: Grid, taken: readonly StackBand[]): ImageInfo {
  const { level, sunElevationDeg, sunAzimuthDeg, granule } = detail;
  return {
    grid,
    type: "float32",
    stored: "uint16",
    bands: taken.map(({ info }) => info),
    optical: {
      level,
      sunElevationDeg,
      sunAzimuthDeg,
      ...(granule && level === 1 ? { bySun: true } : {}),
    },
  };
}

/** The files that are read, where their cells lie, and what is unpacked for it. */
async function filesOf(
  db: Lender,
  detail: StackInspection,
  taken: readonly StackBand[],
  place: { whole: Grid; window: Window; cellM: number },
): Promise<Pick<ImportParams, "tiles" | "unpack" | "spare">> {
  const { files, granule } = detail;
  const opened = files.zip ? await openUploaded(db, files) : null;
  const blobOf = ({ file }: StackBand): string =>
    files.blobs.find(({ path }) => path === file || nameOf({ path }) === file)!.id;
  const tiles = taken.map((file, band): ImportTile => {
    const [col, row] = toCell(place.whole, file.grid.transform[0], file.grid.transform[3]);
    const scale = cellOf(file) / place.cellM;
    return {
      blobId: opened ? "" : blobOf(file),
      band,
      ...(opened ? { entry: band } : {}),
      col: Math.round(col) - place.window.col,
      row: Math.round(row) - place.window.row,
      ...(Math.abs(scale - 1) > 1e-6 ? { scale } : {}),
      ...(granule && file.info.role === "quality" ? { classes: true } : {}),
    };
  });
  if (!opened) {
    const read = tiles.map(({ blobId }) => blobId);
    const spare = files.blobs.map(({ id }) => id).filter((id) => !read.includes(id));
    return { tiles, spare };
  }
  const entries = taken.map(({ file }) => {
    const found = opened.files.find(({ path }) => path === file || nameOf({ path }) === file)!;
    return { path: found.path, bytes: found.size };
  });
  return { tiles, unpack: { files, entries } };
}

/** What is written down of a scene. */
function recordOf(
  studyId: string,
  blob: Blob,
  detail: StackInspection,
  taken: readonly StackBand[],
) {
  const { files, stack: _stack, groups: _groups, ...facts } = detail;
  return {
    studyId,
    kind: "optical" as const,
    acquiredAt: detail.acquiredAt,
    fileName: `${detail.product}, ${taken.length} band files`,
    fileSize: files.blobs.reduce((sum, { size }) => sum + size, 0),
    fileSha256: blob.sha256!,
    detail: {
      ...facts,
      form: "stack",
      bandFiles: taken.map((file) => ({
        band: file.info.name,
        file: nameOf({ path: file.file }),
        cellM: cellOf(file),
      })),
    },
  };
}

/**
 * The band files of an optical scene become one scene of digital numbers, in the order of
 * wavelengths.
 * @param detail what was inspected of the files
 * @throws AppError where the cells are not said, or the scene does not show the study area
 */
export async function fromStack(
  { db, submit }: SceneServices,
  client: Client,
  studyId: string,
  blob: Blob,
  detail: StackInspection,
  said: SaidOfScene,
): Promise<NewScene> {
  const cellM = cellsOf(detail, said);
  const chosen = choose(detail, cellM, said.bring ?? false);
  const { own, taken } = chosen;
  const { grid: whole } = unionGrid(
    own.map(({ grid }) => grid),
    own.map(({ file }) => file),
  );
  const { mission, acquiredAt, product, files } = detail;
  const name = said.name ?? `${mission.replace(/[_-]/g, "")}, ${acquiredAt.slice(0, 10)}`;
  const { window, leftOut } = await keptPart(client, studyId, whole, "optical", name);
  const grid = cutGrid(whole, window);
  const info = infoOf(detail, grid, taken);
  const imageId = await createImage(client, info, levelCount(grid.width, grid.height));
  const record = recordOf(studyId, blob, detail, taken);
  const read = await filesOf(db, detail, taken, { whole, window, cellM });
  // Where all bands have the same cells nobody is asked.
  const answers = detail.groups.length > 1 ? { cellM, bring: said.bring ?? false } : undefined;
  const params: Omit<ImportParams, "sceneId"> = {
    ...read,
    ...{ imageId, info, leftOut },
    fileName: product,
    ...(answers ? { answers } : {}),
  };
  return beginImport(submit, client, {
    scene: {
      ...record,
      name,
      detail: {
        ...record.detail,
        width: whole.width,
        height: whole.height,
        leftOut,
        warnings: warningsOf(detail, chosen, cellM),
        ...(answers ? { answers } : {}),
        ...said.detail,
      },
    },
    blobIds: files.blobs.map(({ id }) => id),
    kind: "importScene",
    title: `Import ${name}`,
    params,
  });
}

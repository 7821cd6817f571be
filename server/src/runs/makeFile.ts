import { type FileHandle, mkdtemp, open, readdir, rm, stat } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { BLOCK } from "@hindglance/core/grid/grid";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { COLLECTION_END, collectionHead } from "@hindglance/formats/tables/geojson";
import { type Spool, writeCog } from "@hindglance/formats/tiff/writeCog";
import { deleteMapFile, setBlobDetail, setBlobPurpose } from "../db/blobs";
import { receiveBlob } from "../db/receiving";
import { readBlocks } from "../db/blocks";
import { type ChangeMap, type Patch, findChangeMap, readPatches } from "../db/changeMaps";
import { findImage } from "../db/images";
import type { Client, Database } from "../db/pool";
import { listReviewers, standingAreas } from "../db/verdicts";
import { listSamples } from "../db/samples";
import { addToLedger } from "../db/studies";
import { notFound } from "../errors";
import { findResult } from "../products/sampleResult";
import type { TestOfMap } from "../report/accuracyTable";
import { tallyCsv, tallyRows } from "../report/tallyTable";
import type { RangeContext, RunKind } from "./kind";
import { labelCells } from "@hindglance/core/raster/block";

export const FILE_FORMATS = {
  cog: {
    extension: "tif",
    media: "image/tiff; application=geotiff; profile=cloud-optimized",
    title: "GeoTIFF",
  },
  geojson: { extension: "geojson", media: "application/geo+json", title: "GeoJSON" },
  csv: { extension: "csv", media: "text/csv; charset=utf-8", title: "table" },
  provenance: { extension: "provenance.json", media: "application/json", title: "provenance" },
} as const;
export type FileFormat = keyof typeof FILE_FORMATS;
export interface FileParams {
  changeMapId: string;
  format: FileFormat;
  fileName: string;
}

/** Makes one file of a change map and keeps it for download. */
export const makeFile: RunKind<FileParams> = {
  phases: () => [{ name: "Writing the file", weight: 1 }],
  ranges: async () => [1],
  async work(_phase, _seq, params, ctx, run) {
    const map = await ctx.db.withClient((client) => findChangeMap(client, params.changeMapId));
    if (!map) {
      throw notFound("change map");
    }
    const blob = await receiveBlob(
      ctx.db,
      {
        studyId: map.studyId,
        purpose: "making",
        name: params.fileName,
        mediaType: FILE_FORMATS[params.format].media,
        maxBytes: 2 ** 40,
      },
      bytesOf(map, params.format, ctx),
    );
    return {
      result: { blobId: blob.id },
      // An earlier file of the same kind is replaced in the same moment.
      write: async (client) => {
        await deleteMapFile(client, map.id, params.format);
        await setBlobPurpose(client, blob.id, "file");
        await setBlobDetail(client, blob.id, {
          changeMapId: map.id,
          format: params.format,
          runId: run.id,
        });
      },
    };
  },
  async finish(params, results, client, run) {
    const [r] = await results<{ blobId: string }>(0);
    await addToLedger(client, run.studyId!, "File made", {
      changeMap: params.changeMapId,
      file: params.fileName,
      format: params.format,
    });
    return { blobId: r!.blobId, fileName: params.fileName };
  },
  // A file that was being made is 'making' and nobody sees it; the sweep takes it away.
  discard: async () => {},
};

/** The bytes of a file made from a change map, as they are made. */
export async function* bytesOf(
  map: ChangeMap,
  format: FileFormat,
  ctx: Pick<RangeContext, "db" | "signal" | "progress">,
): AsyncGenerator<Uint8Array> {
  const info = (await ctx.db.withClient((client) => findImage(client, map.imageId)))!.info;
  if (format === "csv") {
    const reviewed = await ctx.db.withTransaction(async (client) => ({
      areas: await standingAreas(client, map.id),
      reviewers: await listReviewers(client, map.id),
    }));
    const tests = await ctx.db.withTransaction((client) => testsOf(client, map.id));
    yield Buffer.from(tallyCsv(map, info, reviewed, tests));
  } else if (format === "provenance") {
    yield Buffer.from(
      `${JSON.stringify({ ...map.provenance, tally: tallyRows(map, info) }, null, 2)}\n`,
    );
  } else if (format === "geojson") {
    yield* geojsonBytes(map, info, ctx);
  } else {
    yield* cogBytes(map, info, ctx);
  }
}

/** What a map was tested on: the newest sample that somebody looked at, and the newest test areas. */
async function testsOf(client: Client, map: string): Promise<TestOfMap[]> {
  const samples = await listSamples(client, map);
  const tests = [
    samples.find(({ interpreters }) => interpreters.length > 0),
    samples.find(({ design }) => design.drawing === "areas"),
  ].filter((one) => one !== undefined);
  const found: TestOfMap[] = [];
  for (const sample of tests) {
    found.push({ sample, result: await findResult(client, sample.id) });
  }
  return found;
}

const round = (value: number, decimals: number): number =>
  Math.round(value * 10 ** decimals) / 10 ** decimals;
const roundedOrNull = (value: number | null, decimals: number): number | null =>
  value === null ? null : round(value, decimals);

/** A patch as a GeoJSON feature; its outline is text already and stays as it is. */
function featureText(patch: Patch, className: string | undefined): string {
  const properties = {
    class: className,
    label: patch.label,
    cells: patch.cells,
    area_m2: round(patch.areaM2, 2),
    perimeter_m: roundedOrNull(patch.perimeterM, 1),
    mean_measure: roundedOrNull(patch.measure, 4),
    mean_elevation_m: roundedOrNull(patch.elevation, 1),
    verdict: patch.standing,
    ...(patch.edited ? { edited: true } : {}),
    doubt: patch.certainty === null ? null : round(1 - patch.certainty, 4),
    edge_share: roundedOrNull(patch.edgeShare, 4),
    ...(patch.depth === null
      ? {}
      : {
          water_level_m: roundedOrNull(patch.level, 2),
          mean_depth_m: round(patch.depth, 2),
        }),
  };
  const bbox = [patch.west, patch.south, patch.east, patch.north].map((value) => round(value, 7));
  const head = JSON.stringify({ type: "Feature", id: patch.number, properties, bbox });
  return `${head.slice(0, -1)},"geometry":${patch.geometry}}`;
}

async function* geojsonBytes(
  map: ChangeMap,
  info: ImageInfo,
  ctx: Pick<RangeContext, "db" | "signal" | "progress">,
): AsyncGenerator<Uint8Array> {
  const names = new Map(info.classes!.map((classInfo) => [classInfo.label, classInfo.name]));
  yield Buffer.from(collectionHead({ name: map.name, provenance: map.provenance }));
  let first = true;
  for (let from = 1; from <= map.patchCount; from += 500) {
    ctx.signal.throwIfAborted();
    const rows = await ctx.db.withClient((client) => readPatches(client, map.id, from, 500));
    const text = rows.map((row) => featureText(row, names.get(row.label))).join(",\n");
    if (text) {
      yield Buffer.from(`${first ? "\n" : ",\n"}${text}`);
    }
    first = false;
    ctx.progress(from / (map.patchCount + 1));
  }
  yield Buffer.from(COLLECTION_END);
}

/** How folders for the time of a file's making begin; nothing else in the machine's temporary folder does. */
const SCRATCH = "hind-glance-making-";

/** When anything in a folder was last written, in milliseconds since 1970. */
async function lastWritten(folder: string): Promise<number> {
  const inside = (await readdir(folder)).map((name) => join(folder, name));
  const times = await Promise.all(
    [folder, ...inside].map(async (path) => (await stat(path)).mtimeMs),
  );
  return Math.max(...times);
}

/**
 * Takes away folders that workers of this machine left when they died, once nothing was written in
 * them for so many hours. Folders of any other name stay.
 * @returns how many went
 */
export async function sweepScratch(hours: number, within = tmpdir()): Promise<number> {
  const old = Date.now() - hours * 3_600_000;
  let swept = 0;
  for (const name of await readdir(within)) {
    const path = join(within, name);
    if (name.startsWith(SCRATCH) && (await lastWritten(path).catch(() => Infinity)) < old) {
      await rm(path, { recursive: true, force: true });
      swept++;
    }
  }
  return swept;
}

/** Compressed tiles wait in a temporary file until all of them are known. */
class FileSpool implements Spool {
  private at = 0;
  constructor(private readonly file: FileHandle) {}
  async append(b: Uint8Array): Promise<void> {
    await this.file.write(b, 0, b.length, this.at);
    this.at += b.length;
  }
  async read(offset: number, length: number): Promise<Uint8Array> {
    const out = new Uint8Array(length);
    await this.file.read(out, 0, length, offset);
    return out;
  }
}

async function* cogBytes(
  map: ChangeMap,
  info: ImageInfo,
  ctx: Pick<RangeContext, "db" | "signal" | "progress">,
): AsyncGenerator<Uint8Array> {
  const image = (await ctx.db.withClient((client) => findImage(client, map.imageId)))!;
  const folder = await mkdtemp(join(tmpdir(), SCRATCH));
  const opened: FileHandle[] = [];
  const openIn = async (name: string): Promise<FileHandle> => {
    const file = await open(join(folder, name), "w+");
    opened.push(file);
    return file;
  };
  try {
    const file = await openIn("tiles");
    const out = await openIn("out");
    let size = 0;
    await writeCog(
      {
        grid: info.grid,
        type: "uint8",
        nodata: 255,
        bands: [{ name: "change class" }],
        levels: image.levels,
        signal: ctx.signal,
        progress: ctx.progress,
        palette: {
          0: "#efece4",
          ...Object.fromEntries(
            info.classes!.map((classInfo) => [classInfo.label, classInfo.color]),
          ),
        },
        items: {
          LEGEND: [
            "0=Unchanged",
            ...info.classes!.map((classInfo) => `${classInfo.label}=${classInfo.name}`),
          ].join("; "),
          NAME: map.name,
          PROVENANCE: JSON.stringify(map.provenance),
        },
        readBlock: (level, row, col) => blockOf(ctx.db, map.imageId, level, row, col),
      },
      new FileSpool(file),
      async (b) => {
        await out.write(b, 0, b.length, size);
        size += b.length;
      },
    );
    for (let at = 0; at < size; at += 1 << 20) {
      const b = new Uint8Array(Math.min(1 << 20, size - at));
      await out.read(b, 0, b.length, at);
      yield b;
    }
  } finally {
    // However it ends: done, failed, cancelled, or left by who reads.
    await Promise.all(opened.map((file) => file.close()));
    await rm(folder, { recursive: true, force: true });
  }
}

async function blockOf(
  db: Database,
  image: string,
  level: number,
  row: number,
  col: number,
): Promise<Uint8Array[]> {
  const found = await db.withClient((client) =>
    readBlocks(client, image, level, row, row + 1, col, col + 1),
  );
  if (found.length !== 1) {
    throw new Error(`Block ${level}/${row}/${col} of ${image} is not stored (${BLOCK} cells)`);
  }
  return [labelCells(found[0]!.cells)];
}

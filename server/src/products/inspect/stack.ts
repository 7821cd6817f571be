import { EntrySource } from "@hindglance/formats/archive";
import { FormatError } from "@hindglance/formats/errors";
import { readGranule } from "@hindglance/formats/optical/granule";
import { looksLikeMtl, readMtl } from "@hindglance/formats/optical/mtl";
import { type StackFile, stackBands } from "@hindglance/formats/optical/stack";
import { openRaster } from "@hindglance/formats/raster/open";
import type { ByteSource } from "@hindglance/formats/source";
import type { FileSet } from "@hindglance/formats/zip";
import { cellSize } from "@hindglance/core/grid/grid";
import { BlobSource } from "../../db/blobs";
import type { StackInspection, UploadedFiles } from "../../db/inspection";
import type { Lender } from "../../db/pool";
import { nameOf } from "./uploaded";

/** Bytes of a metadata text that are read at most; one byte more than it may have. */
const MOST_METADATA = 9 << 20;
/** Bytes of a band file that are read at once. */
const READ_AHEAD = 1 << 20;

const missingOf = (groups: StackInspection["groups"]): string[] =>
  groups.length > 1 ? ["cellSize"] : [];

/** What a granule of one JPEG 2000 file a band says. @throws FormatError naming what is missing */
export async function inspectGranule(set: FileSet, files: UploadedFiles): Promise<StackInspection> {
  const { bands, ...granule } = await readGranule(set);
  const sizes = [...new Set(bands.map(({ grid }) => cellSize(grid)[0]))].sort((a, b) => a - b);
  const groups = sizes.map((cellM) => ({
    cellM,
    bands: bands.filter(({ grid }) => cellSize(grid)[0] === cellM).map(({ info }) => info.name),
  }));
  return {
    ...granule,
    form: "stack",
    granule: true,
    files,
    kind: "optical",
    stack: bands,
    groups,
    missing: missingOf(groups),
  };
}

/** A file of a scene, in an archive or by itself. */
interface Part {
  path: string;
  open(): ByteSource & { close?(): Promise<void> };
}

/** The metadata text among files. @throws FormatError where there are several */
function metadataAmong(parts: readonly Part[]): Part {
  const found = parts.filter(({ path }) => looksLikeMtl(path));
  const stems = new Set(found.map(({ path }) => path.replace(/\.\w+$/, "")));
  if (stems.size > 1) {
    throw new FormatError(
      "contradictory",
      `There are ${found.length} metadata texts: ${found.map(({ path }) => path).join(", ")}`,
      "Drop one scene at a time.",
    );
  }
  // The same is often told as text, as JSON and as XML; the plain one comes first.
  return found.find(({ path }) => /\.txt$/i.test(path)) ?? found[0]!;
}

/** Opens a band file. @throws FormatError that names the file */
async function openBand(part: Part): Promise<StackFile> {
  const name = nameOf(part);
  const source = part.open();
  try {
    const tiff = await openRaster(source, READ_AHEAD);
    return { name, tiff };
  } catch (error) {
    if (error instanceof FormatError) {
      throw new FormatError(error.problem, `${name}: ${error.message}`, error.hint);
    }
    throw error;
  } finally {
    // Only what its header says is asked for from here on.
    await source.close?.();
  }
}

/** What bands and their metadata text say together. @throws FormatError */
async function stackOf(parts: readonly Part[], uploaded: UploadedFiles): Promise<StackInspection> {
  const metadata = metadataAmong(parts);
  const name = nameOf(metadata);
  const text = metadata.open();
  const mtl = readMtl(await text.read(0, Math.min(text.size, MOST_METADATA)), name);
  const files: StackFile[] = [];
  const others = mtl.others.map((file) => file.toLowerCase());
  const isOther = (part: Part) => others.includes(nameOf(part).toLowerCase());
  for (const part of parts) {
    if (!looksLikeMtl(part.path) && !isOther(part)) {
      files.push(await openBand(part));
    }
  }
  const { bands, groups, warnings } = stackBands(mtl, files, name);
  return {
    form: "stack",
    files: uploaded,
    kind: "optical",
    acquiredAt: mtl.acquiredAt,
    product: mtl.product,
    mission: mtl.spacecraft,
    sensor: mtl.sensor,
    level: mtl.level,
    sunElevationDeg: mtl.sunElevationDeg,
    sunAzimuthDeg: mtl.sunAzimuthDeg,
    cloudCoverPercent: mtl.cloudCoverPercent,
    stack: bands,
    groups,
    warnings,
    missing: missingOf(groups),
  };
}

/**
 * What the bands of an optical scene say together with the metadata text beside them. @throws
 * FormatError when they do not belong together
 */
export const inspectStack = (
  db: Lender,
  blobs: UploadedFiles["blobs"],
): Promise<StackInspection> => {
  const parts = blobs.map(({ id, path, size }) => ({
    path,
    open: () => new BlobSource(db, id, size),
  }));
  return stackOf(parts, { zip: false, blobs });
};

/**
 * The same of an archive of them; other texts and pictures in it are passed over. @throws
 * FormatError when they do not belong together
 */
export const inspectStackIn = (set: FileSet, files: UploadedFiles): Promise<StackInspection> => {
  const parts = set.files
    .filter(({ path }) => /\.(tiff?|jp2)$/i.test(path) || looksLikeMtl(path))
    .map(({ path }) => ({ path, open: () => new EntrySource(set, path) }));
  return stackOf(parts, files);
};

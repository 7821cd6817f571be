import { FormatError } from "@hindglance/formats/errors";
import { readGranule } from "@hindglance/formats/optical/granule";
import { looksLikeMtl, readMtl } from "@hindglance/formats/optical/mtl";
import { type StackFile, stackBands } from "@hindglance/formats/optical/stack";
import { openRaster } from "@hindglance/formats/raster/open";
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

type Part = UploadedFiles["blobs"][number];

/** The metadata text among files. @throws FormatError where there are several */
function metadataAmong(blobs: readonly Part[]): Part {
  const found = blobs.filter(({ path }) => looksLikeMtl(path));
  if (found.length > 1) {
    throw new FormatError(
      "contradictory",
      `There are ${found.length} metadata texts: ${found.map(({ path }) => path).join(", ")}`,
      "Drop one scene at a time.",
    );
  }
  return found[0]!;
}

/** Opens a band file. @throws FormatError that names the file */
async function openBand(db: Lender, blob: Part): Promise<StackFile> {
  const name = nameOf(blob);
  try {
    return { name, tiff: await openRaster(new BlobSource(db, blob.id, blob.size), READ_AHEAD) };
  } catch (error) {
    if (error instanceof FormatError) {
      throw new FormatError(error.problem, `${name}: ${error.message}`, error.hint);
    }
    throw error;
  }
}

/**
 * What the bands of an optical scene say together with the metadata text beside them. @throws
 * FormatError when they do not belong together
 */
export async function inspectStack(
  db: Lender,
  blobs: UploadedFiles["blobs"],
): Promise<StackInspection> {
  const metadata = metadataAmong(blobs);
  const name = nameOf(metadata);
  const text = new BlobSource(db, metadata.id, metadata.size);
  const mtl = readMtl(await text.read(0, Math.min(metadata.size, MOST_METADATA)), name);
  const files: StackFile[] = [];
  for (const blob of blobs.filter(({ id }) => id !== metadata.id)) {
    files.push(await openBand(db, blob));
  }
  const { bands, groups, warnings } = stackBands(mtl, files, name);
  return {
    form: "stack",
    files: { zip: false, blobs },
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

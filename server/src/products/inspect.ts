import type { UploadForm } from "@hindglance/contract/upload";
import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Affine } from "@hindglance/core/grid/grid";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { utcText } from "@hindglance/core/radar/orbit";
import type { SensorModel } from "@hindglance/core/radar/sensor";
import { FormatError } from "@hindglance/formats/errors";
import { readOrbitFile } from "@hindglance/formats/product/orbitFile";
import { looksLikeSafe, readSafe } from "@hindglance/formats/product/safe";
import { looksLikeMtl, readMtl } from "@hindglance/formats/optical/mtl";
import { stackBands } from "@hindglance/formats/optical/stack";
import { describeScene } from "@hindglance/formats/scene/describe";
import { looksLikeGranule, readGranule } from "@hindglance/formats/optical/granule";
import { openRaster } from "@hindglance/formats/raster/open";
import type { OpenRaster } from "@hindglance/formats/raster/raster";
import {
  looksLikePrj,
  looksLikeWorldFile,
  readPrj,
  readWorldFile,
} from "@hindglance/formats/raster/worldFile";
import { type FileSet, openZip } from "@hindglance/formats/zip";
import { type Blob, BlobSource } from "../db/blobs";
import type { Client, Database } from "../db/pool";
import { type StoredOrbit, saveOrbit } from "../db/products";
import { listScenes } from "../db/scenes";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError } from "../errors";
import { orbitServes } from "./orbits";
import type { UploadedFiles } from "./uploaded";
import { featureCollectionOf } from "./zones";
import { messageOf } from "@hindglance/core/errors";

const MAX_VECTOR_BYTES = 50 << 20;

/** What was found in an uploaded file. */
export type Inspection = { form: UploadForm } & Record<string, unknown>;

/**
 * Looks into an uploaded file: what it is, what it says of itself, what must be asked for. @throws
 * FormatError when it cannot be used
 */
export async function inspect(db: Database, blob: Blob): Promise<Inspection> {
  const source = new BlobSource(db, blob.id, blob.size);
  if (await isZip(source)) {
    return inspectProduct(await openZip(source), {
      zip: true,
      blobs: [{ id: blob.id, path: blob.name, size: blob.size }],
    });
  }
  if (/\.zip$/i.test(blob.name)) {
    throw new FormatError(
      "damaged",
      "This is not a zip archive: it does not begin like one",
      "Fetch or copy the file again.",
    );
  }
  if (/\.(geo)?json$/i.test(blob.name)) {
    return inspectZones(await source.read(0, Math.min(blob.size, MAX_VECTOR_BYTES + 1)), blob);
  }
  return inspectRaster(await openRaster(source), blob.name);
}

/**
 * What an image file says. Without a position, or without the system of its coordinates, that is
 * asked for. `place`: from files beside it.
 */
function inspectRaster(
  raster: OpenRaster,
  name: string,
  place?: { transform: Affine; crs: Crs | null },
): Inspection {
  const said = describeScene(raster, name);
  const grid = place
    ? place.crs
      ? { crs: place.crs, transform: place.transform, width: raster.width, height: raster.height }
      : null
    : raster.grid;
  const missing: string[] = [
    ...said.missing,
    ...(grid ? [] : [(place ?? raster.transform) ? "crs" : "position"]),
  ];
  return {
    form: "raster",
    width: raster.width,
    height: raster.height,
    sampleType: raster.sampleType,
    nodata: raster.nodata === null ? null : String(raster.nodata),
    grid,
    ...(grid
      ? {}
      : {
          noPosition: raster.noPosition?.message ?? "",
          transform: place?.transform ?? raster.transform ?? null,
        }),
    items: raster.items,
    palette: raster.palette,
    ...said,
    missing,
  };
}

/**
 * A picture and the files beside it that give its position: a world file, and a .prj where there is
 * one. @throws FormatError
 */
export async function inspectPlaced(
  db: Database,
  blobs: UploadedFiles["blobs"],
): Promise<Inspection & { blobId: string }> {
  const name = (b: { path: string }) => b.path.split("/").pop()!;
  const text = async (b: (typeof blobs)[0]) =>
    new TextDecoder().decode(
      await new BlobSource(db, b.id, b.size).read(0, Math.min(b.size, 1 << 16)),
    );
  const world = blobs.find((blob) => looksLikeWorldFile(blob.path));
  const prj = blobs.find((blob) => looksLikePrj(blob.path));
  const image = blobs.find((blob) => blob !== world && blob !== prj);
  if (!world || !image) {
    throw new FormatError(
      "incomplete",
      world ? `${name(world)} has no image beside it` : "There is no world file here",
      "Pick the image together with its world file.",
    );
  }
  return {
    ...inspectRaster(await openRaster(new BlobSource(db, image.id, image.size)), name(image), {
      transform: readWorldFile(await text(world), name(world)),
      crs: prj ? await readPrj(await text(prj), name(prj)) : null,
    }),
    blobId: image.id,
  };
}

/** What a granule of one JPEG 2000 file a band says. @throws FormatError naming what is missing */
export async function inspectGranule(set: FileSet, files: UploadedFiles): Promise<Inspection> {
  const { bands, ...granule } = await readGranule(set);
  const sizes = [...new Set(bands.map((band) => band.grid.transform[1]))].sort((a, b) => a - b);
  const groups = sizes.map((cellM) => ({
    cellM,
    bands: bands.filter((band) => band.grid.transform[1] === cellM).map((band) => band.info.name),
  }));
  return {
    form: "stack",
    granule: true,
    files,
    kind: "optical",
    ...granule,
    stack: bands,
    groups,
    missing: groups.length > 1 ? ["cellSize"] : [],
  };
}

async function isZip(source: BlobSource): Promise<boolean> {
  const b = await source.read(0, Math.min(4, source.size));
  return (
    b[0] === 0x50 && b[1] === 0x4b && ((b[2] === 3 && b[3] === 4) || (b[2] === 5 && b[3] === 6))
  );
}

/**
 * What a product says of itself. Tables and geometry are read again when it is imported; here they
 * are only checked.
 */
export async function inspectProduct(set: FileSet, files: UploadedFiles): Promise<Inspection> {
  if (looksLikeGranule(set)) {
    return inspectGranule(set, files);
  }
  if (!looksLikeSafe(set)) {
    throw new FormatError(
      "unsupported",
      "This holds no manifest.safe: only radar products in the SAFE layout and granules with their metadata are taken as zip or folder",
      "Pick single images one by one.",
    );
  }
  const { sensor, luts: _luts, ...path } = await readSafe(set);
  return {
    form: "product",
    files,
    ...path,
    lines: sensor.lines,
    samples: sensor.samples,
    kind: "radar",
    acquiredAt: middleOf(sensor),
  };
}
/**
 * What the bands of an optical scene say together with the metadata text beside them. @throws
 * FormatError when they do not belong together
 */
export async function inspectStack(
  db: Database,
  blobs: UploadedFiles["blobs"],
): Promise<Inspection> {
  const meta = blobs.filter((blob) => looksLikeMtl(blob.path));
  if (meta.length > 1) {
    throw new FormatError(
      "contradictory",
      `There are ${meta.length} metadata texts: ${meta.map((m) => m.path).join(", ")}`,
      "Drop one scene at a time.",
    );
  }
  const { id, path, size } = meta[0]!;
  const name = path.split("/").pop()!;
  const mtl = readMtl(await new BlobSource(db, id, size).read(0, Math.min(size, 9 << 20)), name);
  const files = [];
  for (const blob of blobs) {
    if (blob.id === id) {
      continue;
    }
    try {
      files.push({
        name: blob.path.split("/").pop()!,
        tiff: await openRaster(new BlobSource(db, blob.id, blob.size), 1 << 20),
      });
    } catch (error) {
      if (error instanceof FormatError) {
        throw new FormatError(
          error.problem,
          `${blob.path.split("/").pop()}: ${error.message}`,
          error.hint,
        );
      }
      throw error;
    }
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
    missing: groups.length > 1 ? ["cellSize"] : [],
  };
}

const middleOf = (sensorModel: SensorModel) =>
  utcText(sensorModel.firstLineT + (sensorModel.lines / 2) * sensorModel.lineIntervalS).replace(
    /\.\d+Z$/,
    "Z",
  );

/**
 * Takes an orbit file into its study. Orbit files are small and need no answer: they are taken at
 * once. @throws FormatError when it is none
 */
export async function takeOrbit(db: Database, blob: Blob): Promise<Inspection> {
  const stored = await db.withTransaction((client) => storeOrbit(client, db, blob));
  const scenes = (await db.withClient((client) => listScenes(client, blob.studyId!))).filter(
    (scene) => orbitServes(stored, scene),
  );
  return {
    form: "orbit",
    orbitId: stored.id,
    mission: stored.mission,
    orbitKind: stored.kind,
    from: utcText(stored.from),
    to: utcText(stored.to),
    scenes: scenes.map((scene) => scene.name),
  };
}

/**
 * Reads an orbit file and keeps it with its study.
 * @throws FormatError when it cannot be read
 */
export async function storeOrbit(client: Client, db: Database, blob: Blob): Promise<StoredOrbit> {
  const orbit = readOrbitFile(
    await new BlobSource(db, blob.id, blob.size).read(0, Math.min(blob.size, MAX_VECTOR_BYTES)),
    blob.name,
  );
  const x = await saveOrbit(client, {
    studyId: blob.studyId!,
    fileName: blob.name,
    fileSha256: blob.sha256!,
    mission: orbit.mission,
    kind: orbit.kind,
    from: orbit.vectors[0]!.t,
    to: orbit.vectors.at(-1)!.t,
    vectors: orbit.vectors,
  });
  await addToLedger(client, blob.studyId!, "Orbit file imported", {
    orbit: x.id,
    file: blob.name,
    mission: orbit.mission,
    kind: orbit.kind,
  });
  await touchStudy(client, blob.studyId!);
  return x;
}

function inspectZones(bytes: Uint8Array, blob: Blob): Inspection {
  if (blob.size > MAX_VECTOR_BYTES) {
    throw new AppError(
      413,
      "tooLarge",
      `${blob.name} is larger than 50 MB, the most that a zone file can be`,
      "file",
      "Simplify the zones first.",
    );
  }
  let content: unknown;
  try {
    content = JSON.parse(new TextDecoder("utf-8", { fatal: true }).decode(bytes));
  } catch {
    throw new FormatError(
      "damaged",
      `${blob.name} is not valid JSON`,
      "A GeoJSON FeatureCollection of polygons is needed.",
    );
  }
  const collection = featureCollectionOf(content);
  if (!collection) {
    throw new FormatError(
      "unsupported",
      `${blob.name} holds no GeoJSON polygons`,
      "Save the zones as a FeatureCollection of polygons.",
    );
  }
  const features = collection.features;
  if (features.length === 0 || features.length > 60000) {
    throw new FormatError(
      "unsupported",
      `${blob.name} holds ${features.length} zones; 1 to 60 000 can be used`,
    );
  }
  const fields = new Map<string, number>();
  features.forEach(
    (feature: { geometry?: unknown; properties?: Record<string, unknown> | null }, i: number) => {
      try {
        multiPolygonFrom(feature?.geometry, "geometry");
      } catch (error) {
        throw new FormatError(
          "unsupported",
          `Zone ${i + 1} of ${blob.name}: ${messageOf(error)}`,
          "Zones are polygons in longitude and latitude.",
        );
      }
      for (const [k, value] of Object.entries(feature.properties ?? {})) {
        if (typeof value === "string" || typeof value === "number") {
          fields.set(k, (fields.get(k) ?? 0) + 1);
        }
      }
    },
  );
  const all = [...fields].filter(([, n]) => n === features.length).map(([k]) => k);
  return {
    form: "zones",
    zones: features.length,
    nameFields: all,
    nameField: all.find((k) => /name|title|label/i.test(k)) ?? all[0] ?? null,
  };
}

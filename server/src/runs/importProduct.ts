import type { ImageInfo } from "@hindglance/core/graph/image";
import { BLOCK } from "@hindglance/core/grid/grid";
import { FormatError } from "@hindglance/formats/errors";
import { deleteBlob, deleteBlobs } from "../db/blobs";
import { deleteImage, finishImage } from "../db/images";
import { deleteScene, sceneTold, setSceneImage } from "../db/scenes";
import { addToLedger, touchStudy } from "../db/studies";
import type { UploadedFiles } from "../db/inspection";
import type { RunKind } from "./kind";
import { ImagePhases } from "./imagePhases";
import { cutStrip, fileOf } from "./importScene";
import { leaveFiles } from "./leaveFiles";
import { deleteUnpacked, unpackEntry, unpackedOf } from "./unpack";

export interface ProductParams {
  sceneId: string;
  imageId: string;
  info: ImageInfo;
  fileName: string;
  files: UploadedFiles;
  polarisations: { name: string; measurement: string; bytes: number }[];
  /** First column and row of the part that is kept. */
  part: { col: number; row: number; width: number; height: number };
  leftOut: string | null;
}

const SLICE_ROWS = 64;
const phasesOf = (params: ProductParams) =>
  new ImagePhases({
    info: params.info,
    imageId: params.imageId,
    first: 1,
    cellsName: "Reading cells",
  });

/**
 * Turns a product into a scene in sensor geometry: measurements are unpacked by streaming, then
 * read like any TIFF. Amplitudes are stored as the whole numbers that they are.
 */
export const importProduct: RunKind<ProductParams> = {
  phases: (params) => [{ name: "Unpacking", weight: 4 }, ...phasesOf(params).plan],
  ranges: async (phase, params) =>
    phase === 0
      ? params.polarisations.map((polarisation) => polarisation.bytes)
      : phasesOf(params).ranges(phase),
  async work(phase, seq, params, ctx, run) {
    if (phase === 0) {
      const pol = params.polarisations[seq]!;
      const { blobId, write } = await unpackEntry(
        ctx,
        run,
        params.files,
        { path: pol.measurement, bytes: pol.bytes },
        seq,
      );
      const raster = await fileOf(ctx.db, blobId);
      const sensor = params.info.sensor!;
      if (raster.width !== sensor.samples || raster.height !== sensor.lines) {
        await ctx.db.withClient((client) => deleteBlob(client, blobId));
        throw new FormatError(
          "contradictory",
          `${pol.measurement.split("/").pop()} is ${raster.width} x ${raster.height} cells; its annotation says ${sensor.samples} x ${sensor.lines}`,
        );
      }
      if (raster.sampleType !== "uint16") {
        await ctx.db.withClient((client) => deleteBlob(client, blobId));
        throw new FormatError(
          "unsupported",
          `${pol.measurement.split("/").pop()} holds ${raster.sampleType} cells; amplitudes of 16 bits are needed`,
        );
      }
      return { write };
    }
    const blobs = await ctx.db.withClient((client) => unpackedOf(client, run.id));
    return phasesOf(params).work(phase, seq, ctx, run.id, async (row) => {
      const h = Math.min(BLOCK, params.part.height - row * BLOCK);
      const out = [];
      for (const [band, id] of blobs.entries()) {
        // Read in thin slices: as decoded numbers a whole strip would be four times as large.
        const raster = await fileOf(ctx.db, id);
        const strip = new Uint16Array(params.part.width * h);
        for (let r = 0; r < h; r += SLICE_ROWS) {
          strip.set(
            (
              await raster.readRaw(
                {
                  col: params.part.col,
                  row: params.part.row + row * BLOCK + r,
                  width: params.part.width,
                  height: Math.min(SLICE_ROWS, h - r),
                },
                ctx.signal,
              )
            )[0]!,
            r * params.part.width,
          );
        }
        out.push(...cutStrip(strip, row, params.part.width, h, band));
      }
      return out;
    });
  },
  async finish(params, results, client, run) {
    const facts = await phasesOf(params).facts(results);
    if (facts.statistics.every((statistic) => statistic.valid === 0)) {
      throw new FormatError(
        "damaged",
        `${params.fileName} holds no valid cell in the part that was to be kept`,
        "Draw the study area where the scene has data.",
      );
    }
    await finishImage(client, params.imageId, facts);
    await setSceneImage(client, params.sceneId, params.imageId);
    await deleteUnpacked(client, run.id);
    await deleteBlobs(client, blobsOf(params));
    await addToLedger(client, run.studyId!, "Scene imported", {
      ...(await sceneTold(client, params.sceneId)),
      width: params.part.width,
      height: params.part.height,
      geometry: "sensor",
      bands: params.info.bands.map((band) => band.name),
      ...(params.leftOut ? { leftOut: params.leftOut } : {}),
    });
    await touchStudy(client, run.studyId!);
    return { sceneId: params.sceneId };
  },
  async discard(params, client, run, wrong) {
    await deleteScene(client, params.sceneId);
    await deleteImage(client, params.imageId);
    await deleteUnpacked(client, run.id);
    await leaveFiles(client, blobsOf(params), wrong);
  },
};

/** The uploaded files of a product. */
const blobsOf = ({ files }: ProductParams): string[] => files.blobs.map(({ id }) => id);

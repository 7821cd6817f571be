import type { ImageInfo } from "@hindglance/core/graph/image";
import { BLOCK } from "@hindglance/core/grid/grid";
import { FormatError } from "@hindglance/formats/errors";
import { deleteBlob } from "../db/blobs";
import { deleteImage, finishImage } from "../db/images";
import type { Client } from "../db/pool";
import { deleteScene, setSceneImage } from "../db/scenes";
import { addToLedger, touchStudy } from "../db/studies";
import type { UploadedFiles } from "../products/uploaded";
import type { RunKind } from "./engine";
import { imagePhases } from "./imagePhases";
import { cutStrip, fileOf } from "./importScene";
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
const phasesOf = (p: ProductParams) => imagePhases(p.info, p.imageId, 1, "Reading cells");

/**
 * Turns a product into a scene in sensor geometry: measurements are unpacked by streaming, then
 * read like any TIFF. Amplitudes are stored as the whole numbers that they are.
 */
export const importProduct: RunKind<ProductParams> = {
  phases: (p) => [{ name: "Unpacking", weight: 4 }, ...phasesOf(p).plan],
  ranges: async (phase, p) =>
    phase === 0 ? p.polarisations.map((x) => x.bytes) : phasesOf(p).ranges(phase),
  async work(phase, seq, p, ctx, run) {
    if (phase === 0) {
      const pol = p.polarisations[seq]!;
      const { blobId, write } = await unpackEntry(
        ctx,
        run,
        p.files,
        { path: pol.measurement, bytes: pol.bytes },
        seq,
      );
      const t = await fileOf(ctx.db, blobId);
      const sensor = p.info.sensor!;
      if (t.width !== sensor.samples || t.height !== sensor.lines) {
        await ctx.db.withClient((c) => deleteBlob(c, blobId));
        throw new FormatError(
          "contradictory",
          `${pol.measurement.split("/").pop()} is ${t.width} x ${t.height} cells; its annotation says ${sensor.samples} x ${sensor.lines}`,
        );
      }
      if (t.sampleType !== "uint16") {
        await ctx.db.withClient((c) => deleteBlob(c, blobId));
        throw new FormatError(
          "unsupported",
          `${pol.measurement.split("/").pop()} holds ${t.sampleType} cells; amplitudes of 16 bits are needed`,
        );
      }
      return { write };
    }
    const blobs = await ctx.db.withClient((c) => unpackedOf(c, run.id));
    return phasesOf(p).work(phase, seq, ctx, run.id, async (row) => {
      const h = Math.min(BLOCK, p.part.height - row * BLOCK);
      const out = [];
      for (const [band, id] of blobs.entries()) {
        // Read in thin slices: as decoded numbers a whole strip would be four times as large.
        const t = await fileOf(ctx.db, id);
        const strip = new Uint16Array(p.part.width * h);
        for (let r = 0; r < h; r += SLICE_ROWS) {
          strip.set(
            (
              await t.readRaw(
                {
                  col: p.part.col,
                  row: p.part.row + row * BLOCK + r,
                  width: p.part.width,
                  height: Math.min(SLICE_ROWS, h - r),
                },
                ctx.signal,
              )
            )[0]!,
            r * p.part.width,
          );
        }
        out.push(...cutStrip(strip, row, p.part.width, h, band));
      }
      return out;
    });
  },
  async finish(p, results, c, run) {
    const facts = await phasesOf(p).facts(results);
    if (facts.statistics.every((s) => s.valid === 0)) {
      throw new FormatError(
        "damaged",
        `${p.fileName} holds no valid cell in the part that was to be kept`,
        "Draw the study area where the scene has data.",
      );
    }
    await finishImage(c, p.imageId, facts);
    await setSceneImage(c, p.sceneId, p.imageId);
    await clean(p, c, run.id);
    await addToLedger(c, run.studyId!, "Scene imported", {
      scene: p.sceneId,
      file: p.fileName,
      width: p.part.width,
      height: p.part.height,
      geometry: "sensor",
      bands: p.info.bands.map((b) => b.name),
      ...(p.leftOut ? { leftOut: p.leftOut } : {}),
    });
    await touchStudy(c, run.studyId!);
    return { sceneId: p.sceneId };
  },
  async discard(p, c, run) {
    await deleteScene(c, p.sceneId);
    await deleteImage(c, p.imageId);
    await clean(p, c, run.id);
  },
};

async function clean(p: ProductParams, c: Client, runId: string): Promise<void> {
  await deleteUnpacked(c, runId);
  for (const b of p.files.blobs) {
    await deleteBlob(c, b.id);
  }
}

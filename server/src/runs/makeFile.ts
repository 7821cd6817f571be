import { type FileFormat, lackOf } from "@hindglance/contract/files";
import { deleteMapFile, setBlobDetail, setBlobPurpose } from "../db/blobs";
import { findChangeMap } from "../db/changeMaps";
import { findImage } from "../db/images";
import { receiveBlob } from "../db/receiving";
import { addToLedger } from "../db/studies";
import { AppError, notFound } from "../errors";
import { FILE_KINDS } from "../files/list";
import type { RunKind } from "./kind";
import { evaluatorFor } from "./mapPhases";

/** Which file of which map. */
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
    const { info } = (await ctx.db.withClient((client) => findImage(client, map.imageId)))!;
    const { db, sources, signal, progress } = ctx;
    const kind = FILE_KINDS[params.format];
    const source = { map, info, db, sources, evaluator: evaluatorFor(ctx), signal, progress };
    const lack = lackOf(params.format, map) ?? (await kind.lacks?.(source));
    if (lack) {
      throw new AppError(409, "lacking", lack);
    }
    const blob = await receiveBlob(
      ctx.db,
      {
        studyId: map.studyId,
        purpose: "making",
        name: params.fileName,
        mediaType: kind.media,
        maxBytes: 2 ** 40,
      },
      kind.bytes(source),
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

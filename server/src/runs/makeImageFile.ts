import { setBlobDetail, setBlobPurpose } from "../db/blobs";
import { receiveBlob } from "../db/receiving";
import { addToLedger } from "../db/studies";
import { imageBytes } from "../files/image";
import { COG_MEDIA } from "../files/names";
import type { PlannedImage } from "../products/imageFile";
import type { RunKind } from "./kind";
import { evaluatorFor } from "./mapPhases";

/** Which image of which scene. */
export interface ImageFileParams extends PlannedImage {
  studyId: string;
  sceneId: string;
}

/** Colours of classes by label, where the image has classes. */
const paletteOf = ({ classes }: PlannedImage["info"]) =>
  classes ? { palette: Object.fromEntries(classes.map(({ label, color }) => [label, color])) } : {};

/** Makes a file of a scene and keeps it for download. */
export const makeImageFile: RunKind<ImageFileParams> = {
  phases: () => [{ name: "Writing the file", weight: 1 }],
  ranges: async () => [1],
  async work(_phase, _seq, params, ctx, run) {
    const { signal, progress } = ctx;
    const { node, info, items, studyId, fileName, sceneId, grid } = params;
    const image = { node, info, items, ...paletteOf(info) };
    const blob = await receiveBlob(
      ctx.db,
      {
        ...{ studyId, purpose: "making", name: fileName, mediaType: COG_MEDIA },
        maxBytes: 2 ** 40,
      },
      imageBytes({ evaluator: evaluatorFor(ctx), signal, progress }, image),
    );
    return {
      result: { blobId: blob.id },
      write: async (client) => {
        await setBlobPurpose(client, blob.id, "file");
        await setBlobDetail(client, blob.id, { sceneId, grid, runId: run.id });
      },
    };
  },
  async finish(params, results, client, run) {
    const [made] = await results<{ blobId: string }>(0);
    const { sceneId, fileName, grid } = params;
    await addToLedger(client, run.studyId!, "Image taken away", {
      ...{ scene: sceneId, file: fileName, grid },
    });
    return { blobId: made!.blobId, fileName };
  },
  // A file that was being made is 'making' and nobody sees it; the sweep takes it away.
  discard: async () => {},
};

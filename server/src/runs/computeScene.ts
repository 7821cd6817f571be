import { type ComputeParams } from "../products/plans";
import { imagesOf } from "@hindglance/core/graph/node";
import { ahead } from "@hindglance/core/graph/ahead";
import { BLOCK } from "@hindglance/core/grid/grid";
import { type StoredBlock, blockWindow } from "../db/blocks";
import { deleteImage, finishImage } from "../db/images";
import { deleteScene, scenesOfImages, setSceneImage } from "../db/scenes";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError } from "../errors";
import type { RunKind } from "./kind";
import { ImagePhases } from "./imagePhases";
import { evaluatorFor } from "./mapPhases";

const phasesOf = (params: ComputeParams) =>
  new ImagePhases({
    info: params.info,
    imageId: params.imageId,
    first: 0,
    cellsName: params.what,
    rangeCells: 4e6,
  });

/** Computes a node in full and stores it as a scene of its own. */
export const computeScene: RunKind<ComputeParams> = {
  phases: (params) => phasesOf(params).plan,
  ranges: async (phase, params) => phasesOf(params).ranges(phase),
  async work(phase, seq, params, ctx, run) {
    const { width, height } = params.info.grid;
    const evaluator = evaluatorFor(ctx);
    return phasesOf(params).work(phase, seq, ctx, run.id, async (row, tell) => {
      const blocks: StoredBlock[] = [];
      const windows = Array.from({ length: Math.ceil(width / BLOCK) }, (_v, col) =>
        blockWindow(row, col, width, height),
      );
      await ahead(
        windows.length,
        (k) => evaluator.read(params.node, 0, windows[k]!),
        (block, col) => {
          ctx.signal.throwIfAborted();
          block.bands.forEach((cells, band) => blocks.push({ level: 0, row, col, band, cells }));
          tell((col + 1) / windows.length);
        },
      );
      return blocks;
    });
  },
  async finish(params, results, client, run) {
    const facts = await phasesOf(params).facts(results);
    if (facts.statistics.every((statistic) => statistic.valid === 0)) {
      throw new AppError(
        422,
        "empty",
        `${params.name} would hold no valid cell`,
        undefined,
        "Check what it is made from.",
      );
    }
    await finishImage(client, params.imageId, facts);
    await setSceneImage(client, params.sceneId, params.imageId);
    await addToLedger(client, run.studyId!, "Scene computed", {
      scene: params.sceneId,
      name: params.name,
      what: params.what,
      from: await scenesOfImages(client, imagesOf(params.node)),
    });
    await touchStudy(client, run.studyId!);
    return { sceneId: params.sceneId };
  },
  async discard(params, client) {
    await deleteScene(client, params.sceneId);
    await deleteImage(client, params.imageId);
  },
};

import { type JoinParams } from "../products/plans";
import type { Window } from "@hindglance/core/grid/grid";
import { deleteImage, finishImage, setBandRanges, sweepImages } from "../db/images";
import { deleteScene, setSceneImage } from "../db/scenes";
import { addToLedger, replaceScenes, touchStudy } from "../db/studies";
import type { RunKind } from "./kind";
import { ImagePhases } from "./imagePhases";
import { assembledRow } from "./importScene";

const phasesOf = (params: JoinParams) =>
  new ImagePhases({
    info: params.info,
    imageId: params.imageId,
    first: 0,
    cellsName: "Joining cells",
  });

/**
 * Makes one scene of several that lie on one raster of cells. The joined scene takes the place of
 * its parts.
 */
export const joinScenes: RunKind<JoinParams> = {
  phases: (params) => phasesOf(params).plan,
  ranges: async (phase, params) => phasesOf(params).ranges(phase),
  async work(phase, seq, params, ctx, run) {
    const parts = params.parts.map(({ col, row, imageId, info }) => ({
      col,
      row,
      open: async () => ({
        size: info.grid,
        read: async (w: Window) => (await ctx.sources.read(imageId, 0, w)).bands,
      }),
    }));
    return phasesOf(params).work(phase, seq, ctx, run.id, (row) =>
      assembledRow(params.info, row, parts),
    );
  },
  async finish(params, results, client, run) {
    const facts = await phasesOf(params).facts(results);
    const ids = params.parts.map((part) => part.sceneId);
    await finishImage(client, params.imageId, facts);
    await setBandRanges(client, params.imageId, params.info, facts.statistics);
    await setSceneImage(client, params.sceneId, params.imageId);
    await replaceScenes(client, run.studyId!, ids, params.sceneId);
    for (const id of ids) {
      await deleteScene(client, id);
    }
    await sweepImages(client);
    await addToLedger(client, run.studyId!, "Scenes joined", {
      scene: params.sceneId,
      name: params.name,
      parts: params.parts.map((part) => ({ scene: part.sceneId, name: part.sceneName })),
    });
    await touchStudy(client, run.studyId!);
    return { sceneId: params.sceneId };
  },
  async discard(params, client) {
    await deleteScene(client, params.sceneId);
    await deleteImage(client, params.imageId);
  },
};

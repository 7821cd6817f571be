import type { ImageInfo } from "@hindglance/core/graph/image";
import type { Window } from "@hindglance/core/grid/grid";
import { deleteImage, finishImage, setBandRanges, sweepImages } from "../db/images";
import { deleteScene, setSceneImage } from "../db/scenes";
import { addToLedger, replaceScenes, touchStudy } from "../db/studies";
import type { RunKind } from "./engine";
import { imagePhases } from "./imagePhases";
import { assembledRow } from "./importScene";

export interface JoinParams {
  sceneId: string;
  imageId: string;
  info: ImageInfo;
  name: string;
  parts: {
    sceneId: string;
    sceneName: string;
    imageId: string;
    info: ImageInfo;
    col: number;
    row: number;
  }[];
}

const phasesOf = (p: JoinParams) => imagePhases(p.info, p.imageId, 0, "Joining cells");

/**
 * Makes one scene of several that lie on one raster of cells. The joined scene takes the place of
 * its parts.
 */
export const joinScenes: RunKind<JoinParams> = {
  phases: (p) => phasesOf(p).plan,
  ranges: async (phase, p) => phasesOf(p).ranges(phase),
  async work(phase, seq, p, ctx, run) {
    const parts = p.parts.map(({ col, row, imageId, info }) => ({
      col,
      row,
      open: async () => ({
        size: info.grid,
        read: async (w: Window) => (await ctx.sources.read(imageId, 0, w)).bands,
      }),
    }));
    return phasesOf(p).work(phase, seq, ctx, run.id, (row) => assembledRow(p.info, row, parts));
  },
  async finish(p, results, c, run) {
    const facts = await phasesOf(p).facts(results);
    const ids = p.parts.map((x) => x.sceneId);
    await finishImage(c, p.imageId, facts);
    await setBandRanges(c, p.imageId, p.info, facts.statistics);
    await setSceneImage(c, p.sceneId, p.imageId);
    await replaceScenes(c, run.studyId!, ids, p.sceneId);
    for (const id of ids) {
      await deleteScene(c, id);
    }
    await sweepImages(c);
    await addToLedger(c, run.studyId!, "Scenes joined", {
      scene: p.sceneId,
      name: p.name,
      parts: p.parts.map((x) => ({ scene: x.sceneId, name: x.sceneName })),
    });
    await touchStudy(c, run.studyId!);
    return { sceneId: p.sceneId };
  },
  async discard(p, c) {
    await deleteScene(c, p.sceneId);
    await deleteImage(c, p.imageId);
  },
};

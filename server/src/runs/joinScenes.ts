import type { ImageInfo } from '@hindglance/core/graph/image';
import { BLOCK, fullWindow, intersect } from '@hindglance/core/grid/grid';
import { emptyCells, fillGaps } from '@hindglance/core/raster/block';
import { deleteImage, finishImage, setBandRanges, sweepImages } from '../db/images';
import { deleteScene, setSceneImage } from '../db/scenes';
import { addToLedger, replaceScenes, touchStudy } from '../db/studies';
import type { RunKind } from './engine';
import { imagePhases } from './imagePhases';
import { cutStrip, wholeNumbers } from './importScene';

export interface JoinParams { sceneId: string; imageId: string; info: ImageInfo; name: string; parts: { sceneId: string; sceneName: string; imageId: string; info: ImageInfo; col: number; row: number }[] }

const phasesOf = (p: JoinParams) => imagePhases(p.info, p.imageId, 0, 'Joining cells');

/** Makes one scene of several that lie on one raster of cells. Where two overlap the first one with a valid cell counts. The joined scene takes the place of its parts. */
export const joinScenes: RunKind<JoinParams> = {
  phases: (p) => phasesOf(p).plan,
  ranges: async (phase, p) => phasesOf(p).ranges(phase),
  async work(phase, seq, p, ctx, run) {
    const { width, height } = p.info.grid;
    return phasesOf(p).work(phase, seq, ctx, run.id, async (row) => {
      const h = Math.min(BLOCK, height - row * BLOCK), strip = { col: 0, row: row * BLOCK, width, height: h }, bands = p.info.bands.map(() => emptyCells(p.info.type, width * h));
      for (const part of p.parts) {
        const here = intersect({ ...strip, col: -part.col, row: strip.row - part.row }, fullWindow(part.info.grid));
        if (here) (await ctx.sources.read(part.imageId, 0, here)).bands.forEach((src, b) => fillGaps(src, { ...here, col: here.col + part.col, row: here.row + part.row }, bands[b]!, strip));
      }
      return bands.flatMap((b, band) => cutStrip(p.info.stored === 'uint16' ? wholeNumbers(b as Float32Array) : b, row, width, h, band));
    });
  },
  async finish(p, results, c, run) {
    const facts = await phasesOf(p).facts(results), ids = p.parts.map((x) => x.sceneId);
    await finishImage(c, p.imageId, facts);
    await setBandRanges(c, p.imageId, p.info, facts.statistics);
    await setSceneImage(c, p.sceneId, p.imageId);
    await replaceScenes(c, run.studyId!, ids, p.sceneId);
    for (const id of ids) await deleteScene(c, id);
    await sweepImages(c);
    await addToLedger(c, run.studyId!, 'Scenes joined', { scene: p.sceneId, name: p.name, parts: p.parts.map((x) => ({ scene: x.sceneId, name: x.sceneName })) });
    await touchStudy(c, run.studyId!);
    return { sceneId: p.sceneId };
  },
  async discard(p, c) { await deleteScene(c, p.sceneId); await deleteImage(c, p.imageId); },
};

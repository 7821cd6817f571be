import { ahead } from "@hindglance/core/graph/ahead";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { BLOCK } from "@hindglance/core/grid/grid";
import { type StoredBlock, blockWindow } from "../db/blocks";
import { deleteImage, finishImage } from "../db/images";
import { deleteScene, setSceneImage } from "../db/scenes";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError } from "../errors";
import type { RunKind } from "./engine";
import { imagePhases } from "./imagePhases";
import { evaluatorFor } from "./mapPhases";

export interface ComputeParams {
  sceneId: string;
  imageId: string;
  info: ImageInfo;
  name: string;
  node: NodeSpec;
  what: string;
}

const phasesOf = (p: ComputeParams) => imagePhases(p.info, p.imageId, 0, p.what, 4e6);

/** Computes a node in full and stores it as a scene of its own. */
export const computeScene: RunKind<ComputeParams> = {
  phases: (p) => phasesOf(p).plan,
  ranges: async (phase, p) => phasesOf(p).ranges(phase),
  async work(phase, seq, p, ctx, run) {
    const { width, height } = p.info.grid;
    const e = evaluatorFor(ctx);
    return phasesOf(p).work(phase, seq, ctx, run.id, async (row, tell) => {
      const blocks: StoredBlock[] = [];
      const windows = Array.from({ length: Math.ceil(width / BLOCK) }, (_v, col) =>
        blockWindow(row, col, width, height),
      );
      await ahead(
        windows.length,
        (k) => e.read(p.node, 0, windows[k]!),
        (b, col) => {
          ctx.signal.throwIfAborted();
          b.bands.forEach((cells, band) => blocks.push({ level: 0, row, col, band, cells }));
          tell((col + 1) / windows.length);
        },
      );
      return blocks;
    });
  },
  async finish(p, results, c, run) {
    const facts = await phasesOf(p).facts(results);
    if (facts.statistics.every((s) => s.valid === 0)) {
      throw new AppError(
        422,
        "empty",
        `${p.name} would hold no valid cell`,
        undefined,
        "Check what it is made from.",
      );
    }
    await finishImage(c, p.imageId, facts);
    await setSceneImage(c, p.sceneId, p.imageId);
    await addToLedger(c, run.studyId!, "Scene computed", {
      scene: p.sceneId,
      name: p.name,
      what: p.what,
    });
    await touchStudy(c, run.studyId!);
    return { sceneId: p.sceneId };
  },
  async discard(p, c) {
    await deleteScene(c, p.sceneId);
    await deleteImage(c, p.imageId);
  },
};

import { Evaluator } from "@hindglance/core/graph/evaluator";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { levelCount } from "@hindglance/core/grid/grid";
import type { StoredSources } from "../eval/sources";
import { setOrigin } from "../db/origins";
import { createImage } from "../db/images";
import type { Client } from "../db/pool";
import { createScene, findScene, setSceneRun } from "../db/scenes";
import { touchStudy } from "../db/studies";

import type { NewScene } from "./scenes/beginImport";
import type { Submit, ComputeParams } from "./plans";

/**
 * Makes a scene out of a node, computed in a run. Its checksum is that of the node: it says what it
 * was made from.
 */
export async function computedScene(
  { sources }: { sources: StoredSources },
  submit: Submit,
  client: Client,
  s: {
    studyId: string;
    kind: string;
    name: string;
    acquiredAt: string | null;
    node: NodeSpec;
    what: string;
    detail: object;
  },
): Promise<NewScene> {
  const info = await new Evaluator({ sources }).info(s.node);
  const hash = nodeHash(s.node, versionOf);
  const imageId = await createImage(client, info, levelCount(info.grid.width, info.grid.height));
  const sceneId = await createScene(client, {
    studyId: s.studyId,
    kind: s.kind,
    name: s.name,
    acquiredAt: s.acquiredAt,
    fileName: "computed here",
    fileSize: 0,
    fileSha256: hash,
    detail: { form: "computed", what: s.what, node: hash, ...s.detail },
  });
  const { kind, what, node } = s;
  await setOrigin(client, sceneId, { kind: "made", sceneKind: kind, what, node });
  const runId = await submit({
    studyId: s.studyId,
    kind: "computeScene",
    title: s.name,
    params: {
      sceneId,
      imageId,
      info,
      name: s.name,
      node: s.node,
      what: s.what,
    } satisfies ComputeParams,
  });
  await setSceneRun(client, sceneId, runId);
  await touchStudy(client, s.studyId);
  return { scene: (await findScene(client, sceneId))!, runId };
}

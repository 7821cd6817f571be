import { STEPS_OF } from "@hindglance/core/chain/family";
import type { ChainResult } from "@hindglance/core/chain/row";
import { sharpened } from "@hindglance/core/chain/smoothing";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import type { Client } from "../db/pool";
import { findKept } from "../db/products";
import { listPrepareRuns } from "../db/runs";
import { AppError } from "../errors";
import type { StoredSources } from "../eval/sources";
import { HOUSES, type ReadyScene } from "./families";
import type { PrepareItem } from "./plans";
import type { Preparation } from "./preparation";

/** A result to be computed, before there is a place to keep it. */
export type LeftItem = Omit<PrepareItem, "imageId">;

/** What of a chain's nodes is kept. */
type Of = (node: NodeSpec) => NodeSpec;

const cellAt = ({ cells }: ChainResult, step: string) => cells.find((cell) => cell.step === step)!;

/**
 * What is still to be computed, in an order in which later results find earlier ones.
 * @param sceneIds the scenes that are wanted; null: all
 * @throws AppError 422 naming the scene whose chain cannot run
 */
export async function leftToRun(
  client: Client,
  prepared: Preparation,
  sources: StoredSources,
  sceneIds: readonly string[] | null,
): Promise<LeftItem[]> {
  const inChain = prepared.scenes.filter((scene) => prepared.nodes.has(scene.id));
  const wanted = inChain.filter((scene) => !sceneIds || sceneIds.includes(scene.id));
  const needed = takesAllDates(prepared, wanted) ? inChain : wanted;
  needed.forEach((scene) => requireRunnable(prepared, scene));
  const items = new Map<string, LeftItem>();
  const evaluator = new Evaluator({ sources });
  const addOne = async (scene: ReadyScene, step: string, node: NodeSpec, of: Of): Promise<void> => {
    const hash = nodeHash(of(node), versionOf);
    if (!items.has(hash)) {
      items.set(hash, await itemOf(prepared, evaluator, scene, { step, node, of }));
    }
  };
  // Compare looks at dates without what blurs their banks: that is kept beside it.
  const add = async (scene: ReadyScene, step: string, node: NodeSpec): Promise<void> => {
    await addOne(scene, step, node, (whole) => whole);
    await addOne(scene, `${step}, sharp`, node, sharpened);
  };
  for (const { key, name } of STEPS_OF[prepared.family].filter((step) => step.kept)) {
    for (const scene of needed) {
      await add(scene, name, cellAt(prepared.nodes.get(scene.id)!, key).output);
    }
  }
  for (const scene of wanted) {
    await add(scene, HOUSES[prepared.family].last, prepared.nodes.get(scene.id)!.result);
  }
  const running = (await listPrepareRuns(client, prepared.study.id)).flatMap((run) =>
    run.items.map((item) => item.hash),
  );
  const kept = await findKept(client, [...items.keys()]);
  return [...items.values()].filter(({ hash }) => !kept.has(hash) && !running.includes(hash));
}

/** Whether a step that takes all dates at once is on for one of them. */
const takesAllDates = (prepared: Preparation, wanted: readonly ReadyScene[]): boolean =>
  STEPS_OF[prepared.family].some(
    (step) =>
      step.joint &&
      wanted.some((scene) => !cellAt(prepared.nodes.get(scene.id)!, step.key).skipped),
  );

function requireRunnable(prepared: Preparation, scene: ReadyScene): void {
  const { error } = prepared.nodes.get(scene.id)!;
  if (error) {
    throw refusal(scene, error);
  }
}

async function itemOf(
  prepared: Preparation,
  evaluator: Evaluator,
  scene: ReadyScene,
  { step, node, of }: { step: string; node: NodeSpec; of: Of },
): Promise<LeftItem> {
  const { cells } = prepared.nodes.get(scene.id)!;
  return {
    sceneId: scene.id,
    sceneName: scene.name,
    step,
    steps: Object.fromEntries(
      cells.map((cell) => [cell.step, nodeHash(of(cell.output), versionOf)]),
    ),
    hash: nodeHash(of(node), versionOf),
    node: of(node),
    info: await named(scene, () => evaluator.info(of(node))),
  };
}

const refusal = (scene: ReadyScene, { message, field, hint }: InputError): AppError =>
  new AppError(422, "invalid", `${scene.name}: ${message}`, field, hint);

/**
 * What a step refuses is said with the scene's name. @throws AppError 422 in place of an InputError
 */
export async function named<T>(scene: ReadyScene, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    throw error instanceof InputError ? refusal(scene, error) : error;
  }
}

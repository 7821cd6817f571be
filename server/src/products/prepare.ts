import type { ChainResult, Family } from "@hindglance/core/chain/family";
import { settingsOf } from "@hindglance/core/chain/family";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import type { Client } from "../db/pool";
import { type StoredOrbit, findKept, listKept, listOrbits } from "../db/products";
import { listScenes } from "../db/scenes";
import { type Study, findStudy } from "../db/studies";
import type { StoredSources } from "../eval/sources";
import { AppError, notFound } from "../errors";
import { groupsOf } from "../runs/prepareDates";
import { type ChainInputs, HOUSES, type PrepareState, type ReadyScene } from "./families";
import { orbitFor } from "./orbits";

/**
 * Everything that decides the chain of a sensor family in a study, and the nodes that follow from
 * it.
 */
export interface Preparation {
  family: Family;
  study: Study;
  state: PrepareState;
  scenes: ReadyScene[];
  elevations: ReadyScene[];
  orbits: Map<string, StoredOrbit | null>;
  nodes: Map<string, ChainResult>;
}

/** @param given settings to look at instead of the stored ones */
export async function preparation(
  client: Client,
  studyId: string,
  family: Family,
  given?: PrepareState,
): Promise<Preparation> {
  const study = await findStudy(client, studyId);
  if (!study) {
    throw notFound("study");
  }
  const house = HOUSES[family];
  const all = await listScenes(client, studyId);
  const scenes = all.filter(house.takes);
  const elevations = all.filter(
    (scene): scene is ReadyScene =>
      scene.kind === "elevation" && scene.imageId !== null && scene.info !== null,
  );
  const files = family === "radar" ? await listOrbits(client, studyId) : [];
  const orbits = new Map(
    family === "radar" ? scenes.map((scene) => [scene.id, orbitFor(files, scene)]) : [],
  );
  const whole: ChainInputs = { study, scenes, elevations, orbits };
  const state = given ??
    (study[house.field] as PrepareState | null) ?? {
      chain: house.propose(whole),
      exceptions: {},
      heldOut: [],
    };
  return {
    family,
    study,
    state,
    scenes,
    elevations,
    orbits,
    nodes: await house.nodes(
      client,
      { ...whole, scenes: scenes.filter((scene) => !state.heldOut.includes(scene.id)) },
      state,
    ),
  };
}
/** The settings that one date has. */
export const settingsAt = (eachPreparation: Preparation, sceneId: string): PrepareState["chain"] =>
  settingsOf(
    HOUSES[eachPreparation.family].steps,
    eachPreparation.state.chain,
    eachPreparation.state.exceptions,
    sceneId,
  );

/** Chains of all families of a study that have scenes. */
export async function preparations(client: Client, studyId: string): Promise<Preparation[]> {
  const scenes = await listScenes(client, studyId);
  const out: Preparation[] = [];
  for (const family of ["radar", "optical"] as const) {
    if (scenes.some(HOUSES[family].takes)) {
      out.push(await preparation(client, studyId, family));
    }
  }
  return out;
}

/** The chain that a scene goes through, or null where it goes through none. */
export const chainOfScene = (all: readonly Preparation[], sceneId: string): Preparation | null =>
  all.find((prepared) => prepared.scenes.some((scene) => scene.id === sceneId)) ?? null;
/**
 * What the chain makes of a scene, as it can stand in a comparison. @throws InputError with the
 * reason why it cannot
 */
export function comparableNode(prepared: Preparation, sceneId: string): NodeSpec {
  const chainResult = prepared.nodes.get(sceneId);
  const apart = HOUSES[prepared.family].apart(prepared.state.chain);
  if (!chainResult) {
    throw new InputError("held out of the chain", undefined, "Take it back in under Prepare.");
  }
  if (chainResult.error) {
    throw chainResult.error;
  }
  if (apart) {
    throw new InputError(apart, undefined, "Switch that step on under Prepare.");
  }
  return chainResult.result;
}

export type CellState =
  "skipped" | "waiting" | "running" | "done" | "stale" | "error" | "blocked" | "held";
export interface BoardCell {
  step: string;
  state: CellState;
  text: string;
  warnings: string[];
  error: { message: string; hint?: string } | null;
  progress?: number;
  exception: boolean;
}
export interface BoardRow {
  sceneId: string;
  name: string;
  acquiredAt: string;
  pass: string | null;
  cells: BoardCell[];
  result: string | null;
  ready: boolean;
  runId: string | null;
  looks: number | null;
}

/** The board: scenes down, steps across, with what each cell holds and how far it is. */
export async function board(
  client: Client,
  prepared: Preparation,
  sources: StoredSources,
): Promise<BoardRow[]> {
  const house = HOUSES[prepared.family];
  const kept = await listKept(client, prepared.study.id);
  const hashes = new Set(kept.map((keptImage) => keptImage.hash));
  const runs = await openRuns(client, prepared.study.id);
  const evaluator = new Evaluator({ sources });
  const rows: BoardRow[] = [];
  for (const scene of prepared.scenes) {
    const base = {
      sceneId: scene.id,
      name: scene.name,
      acquiredAt: scene.acquiredAt!,
      pass: scene.detail.pass ? String(scene.detail.pass) : null,
      looks: scene.looks?.[0] ?? null,
    };
    const chainResult = prepared.nodes.get(scene.id);
    if (!chainResult) {
      rows.push({
        ...base,
        cells: house.steps.map((step) => ({
          step,
          state: "held",
          text: "",
          warnings: [],
          error: null,
          exception: false,
        })),
        result: null,
        ready: false,
        runId: null,
      });
      continue;
    }
    const result = nodeHash(chainResult.result, versionOf);
    const ready = hashes.has(result);
    const run = runs.find((openRun) => openRun.hashes.includes(result));
    const mine = kept.filter((keptImage) => keptImage.sceneId === scene.id);
    let failed: InputError | null = null;
    const cells: BoardCell[] = [];
    const share = run ? run.share(scene.id) : 0;
    for (const step of house.steps) {
      const cell = chainResult.cells.find((chainCell) => chainCell.step === step)!;
      const plain = {
        step,
        warnings: cell.warnings,
        error: null,
        exception: prepared.state.exceptions[scene.id]?.[step] !== undefined,
      };
      if (failed) {
        cells.push({ ...plain, state: "blocked", text: "waits" });
        continue;
      }
      try {
        if (chainResult.error && step === chainResult.failedAt) {
          throw chainResult.error;
        }
        if (cell.skipped) {
          cells.push({ ...plain, state: "skipped", text: "skipped" });
          continue;
        }
        const info = await evaluator.info(cell.output);
        const text = await house.text(
          cell,
          info,
          scene,
          settingsAt(prepared, scene.id),
          sources,
          prepared.orbits.get(scene.id) ?? null,
        );
        const hash = nodeHash(cell.output, versionOf);
        const done =
          ready || hashes.has(hash) || mine.some((keptImage) => keptImage.steps[step] === hash);
        cells.push({
          ...plain,
          text,
          state: done ? "done" : run ? "running" : mine.length ? "stale" : "waiting",
          ...(run && !done ? { progress: share } : {}),
        });
      } catch (error) {
        if (!(error instanceof InputError)) {
          throw error;
        }
        failed = error;
        cells.push({
          ...plain,
          state: "error",
          text: "cannot run",
          error: { message: error.message, hint: error.hint },
        });
      }
    }
    rows.push({ ...base, cells, result: failed ? null : result, ready, runId: run?.id ?? null });
  }
  return rows;
}

interface OpenRun {
  id: string;
  hashes: string[];
  share(sceneId: string): number;
}
/**
 * Prepare runs under way, and how far each scene is in them. Dates of one step go along together.
 */
async function openRuns(client: Client, study: string): Promise<OpenRun[]> {
  const runs = (
    await client.query<{
      id: string;
      phase: number;
      phases: { weight: number }[];
      items: {
        sceneId: string;
        hash: string;
        step: string;
        info: { grid: { width: number; height: number } };
      }[];
      done: number | null;
      all: number | null;
    }>(
      `SELECT r.id, r.phase, r.phases, (SELECT jsonb_agg(jsonb_build_object('sceneId', x->'sceneId', 'hash', x->'hash', 'step', x->'step', 'info', jsonb_build_object('grid', jsonb_build_object('width', x->'info'->'grid'->'width', 'height', x->'info'->'grid'->'height')))) FROM jsonb_array_elements(r.params->'items') x) AS items,
      (SELECT sum(g.weight * g.progress)::float8 FROM run_range g WHERE g.run_id = r.id AND g.phase = r.phase) AS done, (SELECT sum(g.weight)::float8 FROM run_range g WHERE g.run_id = r.id AND g.phase = r.phase) AS all
     FROM run r WHERE r.study_id = $1 AND r.kind = 'prepareDates' AND r.state = 'running'`,
      [study],
    )
  ).rows;
  return runs.map((run) => {
    const groups = groupsOf(run.items);
    const each = run.phases.length / groups.length;
    const now = run.all ? (run.done ?? 0) / run.all : 0;
    /** Share of a group that is done, by the weights of its phases. */
    const of = (k: number) => {
      const mine = run.phases.slice(k * each, (k + 1) * each);
      const total = mine.reduce((n, x) => n + x.weight, 0) || 1;
      return (
        mine.reduce((n, x, i) => {
          const position = k * each + i;
          return n + x.weight * (position < run.phase ? 1 : position === run.phase ? now : 0);
        }, 0) / total
      );
    };
    return {
      id: run.id,
      hashes: run.items.map((item) => item.hash),
      share: (sceneId) => {
        const mine = groups
          .map((group, k) => [group.some((i) => i.sceneId === sceneId), k] as const)
          .filter(([m]) => m)
          .map(([, k]) => k);
        return Math.max(
          0,
          Math.min(1, mine.reduce((s, k) => s + of(k), 0) / Math.max(1, mine.length)),
        );
      },
    };
  });
}

/** What is still to be computed, in an order in which later results find earlier ones. */
export async function leftToRun(
  client: Client,
  prepared: Preparation,
  sources: StoredSources,
  sceneIds: readonly string[] | null,
): Promise<
  {
    sceneId: string;
    sceneName: string;
    step: string;
    steps: Record<string, string>;
    hash: string;
    node: NodeSpec;
    info: ImageInfo;
  }[]
> {
  const house = HOUSES[prepared.family];
  const evaluator = new Evaluator({ sources });
  const wanted = prepared.scenes.filter(
    (scene) => prepared.nodes.has(scene.id) && (!sceneIds || sceneIds.includes(scene.id)),
  );
  const out: Awaited<ReturnType<typeof leftToRun>> = [];
  const running = new Set(
    (await openRuns(client, prepared.study.id)).flatMap((openRun) => openRun.hashes),
  );
  const add = async (readyScene: ReadyScene, step: string, node: NodeSpec) => {
    const hash = nodeHash(node, versionOf);
    if (!out.some((x) => x.hash === hash) && !running.has(hash)) {
      out.push({
        sceneId: readyScene.id,
        sceneName: readyScene.name,
        step,
        steps: Object.fromEntries(
          prepared.nodes
            .get(readyScene.id)!
            .cells.map((chainCell) => [chainCell.step, nodeHash(chainCell.output, versionOf)]),
        ),
        hash,
        node,
        info: await said(readyScene, () => evaluator.info(node)),
      });
    }
  };
  const joint =
    prepared.family === "radar" &&
    wanted.some(
      (readyScene) =>
        !prepared.nodes
          .get(readyScene.id)!
          .cells.find((chainCell) => chainCell.step === "acrossDates")!.skipped,
    );
  for (const readyScene of joint
    ? prepared.scenes.filter((scene) => prepared.nodes.has(scene.id))
    : wanted) {
    const chainResult = prepared.nodes.get(readyScene.id)!;
    if (chainResult.error) {
      throw new AppError(
        422,
        "invalid",
        `${readyScene.name}: ${chainResult.error.message}`,
        chainResult.error.field,
        chainResult.error.hint,
      );
    }
    for (const k of house.kept) {
      await add(
        readyScene,
        k.name,
        chainResult.cells.find((chainCell) => chainCell.step === k.step)!.output,
      );
    }
  }
  for (const readyScene of wanted) {
    await add(readyScene, house.last, prepared.nodes.get(readyScene.id)!.result);
  }
  const kept = await findKept(
    client,
    out.map((x) => x.hash),
  );
  return out.filter((x) => !kept.has(x.hash));
}
/**
 * What a step refuses is said with the scene's name. @throws AppError 422 in place of an InputError
 */
export async function said<T>(readyScene: ReadyScene, work: () => Promise<T>): Promise<T> {
  try {
    return await work();
  } catch (error) {
    if (error instanceof InputError) {
      throw new AppError(
        422,
        "invalid",
        `${readyScene.name}: ${error.message}`,
        error.field,
        error.hint,
      );
    }
    throw error;
  }
}

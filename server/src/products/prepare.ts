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
  c: Client,
  studyId: string,
  family: Family,
  given?: PrepareState,
): Promise<Preparation> {
  const study = await findStudy(c, studyId);
  if (!study) {
    throw notFound("study");
  }
  const house = HOUSES[family];
  const all = await listScenes(c, studyId);
  const scenes = all.filter(house.takes);
  const elevations = all.filter(
    (s): s is ReadyScene => s.kind === "elevation" && s.imageId !== null && s.info !== null,
  );
  const files = family === "radar" ? await listOrbits(c, studyId) : [];
  const orbits = new Map(family === "radar" ? scenes.map((s) => [s.id, orbitFor(files, s)]) : []);
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
      c,
      { ...whole, scenes: scenes.filter((x) => !state.heldOut.includes(x.id)) },
      state,
    ),
  };
}
/** The settings that one date has. */
export const settingsAt = (p: Preparation, sceneId: string): PrepareState["chain"] =>
  settingsOf(HOUSES[p.family].steps, p.state.chain, p.state.exceptions, sceneId);

/** Chains of all families of a study that have scenes. */
export async function preparations(c: Client, studyId: string): Promise<Preparation[]> {
  const scenes = await listScenes(c, studyId);
  const out: Preparation[] = [];
  for (const family of ["radar", "optical"] as const) {
    if (scenes.some(HOUSES[family].takes)) {
      out.push(await preparation(c, studyId, family));
    }
  }
  return out;
}
export const chainOfScene = (all: readonly Preparation[], sceneId: string): Preparation | null =>
  all.find((p) => p.scenes.some((s) => s.id === sceneId)) ?? null;
/**
 * What the chain makes of a scene, as it can stand in a comparison. @throws InputError with the
 * reason why it cannot
 */
export function comparableNode(p: Preparation, sceneId: string): NodeSpec {
  const n = p.nodes.get(sceneId);
  const apart = HOUSES[p.family].apart(p.state.chain);
  if (!n) {
    throw new InputError("held out of the chain", undefined, "Take it back in under Prepare.");
  }
  if (n.error) {
    throw n.error;
  }
  if (apart) {
    throw new InputError(apart, undefined, "Switch that step on under Prepare.");
  }
  return n.result;
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
  c: Client,
  p: Preparation,
  sources: StoredSources,
): Promise<BoardRow[]> {
  const house = HOUSES[p.family];
  const kept = await listKept(c, p.study.id);
  const hashes = new Set(kept.map((k) => k.hash));
  const runs = await openRuns(c, p.study.id);
  const evaluator = new Evaluator({ sources });
  const rows: BoardRow[] = [];
  for (const s of p.scenes) {
    const base = {
      sceneId: s.id,
      name: s.name,
      acquiredAt: s.acquiredAt!,
      pass: s.detail.pass ? String(s.detail.pass) : null,
      looks: s.looks?.[0] ?? null,
    };
    const n = p.nodes.get(s.id);
    if (!n) {
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
    const result = nodeHash(n.result, versionOf);
    const ready = hashes.has(result);
    const run = runs.find((r) => r.hashes.includes(result));
    const mine = kept.filter((k) => k.sceneId === s.id);
    let failed: InputError | null = null;
    const cells: BoardCell[] = [];
    const share = run ? run.share(s.id) : 0;
    for (const step of house.steps) {
      const cell = n.cells.find((x) => x.step === step)!;
      const plain = {
        step,
        warnings: cell.warnings,
        error: null,
        exception: p.state.exceptions[s.id]?.[step] !== undefined,
      };
      if (failed) {
        cells.push({ ...plain, state: "blocked", text: "waits" });
        continue;
      }
      try {
        if (n.error && step === n.failedAt) {
          throw n.error;
        }
        if (cell.skipped) {
          cells.push({ ...plain, state: "skipped", text: "skipped" });
          continue;
        }
        const info = await evaluator.info(cell.output);
        const text = await house.text(
          cell,
          info,
          s,
          settingsAt(p, s.id),
          sources,
          p.orbits.get(s.id) ?? null,
        );
        const hash = nodeHash(cell.output, versionOf);
        const done = ready || hashes.has(hash) || mine.some((k) => k.steps[step] === hash);
        cells.push({
          ...plain,
          text,
          state: done ? "done" : run ? "running" : mine.length ? "stale" : "waiting",
          ...(run && !done ? { progress: share } : {}),
        });
      } catch (e) {
        if (!(e instanceof InputError)) {
          throw e;
        }
        failed = e;
        cells.push({
          ...plain,
          state: "error",
          text: "cannot run",
          error: { message: e.message, hint: e.hint },
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
async function openRuns(c: Client, study: string): Promise<OpenRun[]> {
  const runs = (
    await c.query<{
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
  return runs.map((r) => {
    const groups = groupsOf(r.items);
    const each = r.phases.length / groups.length;
    const now = r.all ? (r.done ?? 0) / r.all : 0;
    /** Share of a group that is done, by the weights of its phases. */
    const of = (k: number) => {
      const mine = r.phases.slice(k * each, (k + 1) * each);
      const total = mine.reduce((n, x) => n + x.weight, 0) || 1;
      return (
        mine.reduce((n, x, i) => {
          const p = k * each + i;
          return n + x.weight * (p < r.phase ? 1 : p === r.phase ? now : 0);
        }, 0) / total
      );
    };
    return {
      id: r.id,
      hashes: r.items.map((i) => i.hash),
      share: (sceneId) => {
        const mine = groups
          .map((g, k) => [g.some((i) => i.sceneId === sceneId), k] as const)
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
  c: Client,
  p: Preparation,
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
  const house = HOUSES[p.family];
  const evaluator = new Evaluator({ sources });
  const wanted = p.scenes.filter(
    (s) => p.nodes.has(s.id) && (!sceneIds || sceneIds.includes(s.id)),
  );
  const out: Awaited<ReturnType<typeof leftToRun>> = [];
  const running = new Set((await openRuns(c, p.study.id)).flatMap((r) => r.hashes));
  const add = async (s: ReadyScene, step: string, node: NodeSpec) => {
    const hash = nodeHash(node, versionOf);
    if (!out.some((x) => x.hash === hash) && !running.has(hash)) {
      out.push({
        sceneId: s.id,
        sceneName: s.name,
        step,
        steps: Object.fromEntries(
          p.nodes.get(s.id)!.cells.map((x) => [x.step, nodeHash(x.output, versionOf)]),
        ),
        hash,
        node,
        info: await said(s, () => evaluator.info(node)),
      });
    }
  };
  const joint =
    p.family === "radar" &&
    wanted.some((s) => !p.nodes.get(s.id)!.cells.find((x) => x.step === "acrossDates")!.skipped);
  for (const s of joint ? p.scenes.filter((x) => p.nodes.has(x.id)) : wanted) {
    const n = p.nodes.get(s.id)!;
    if (n.error) {
      throw new AppError(
        422,
        "invalid",
        `${s.name}: ${n.error.message}`,
        n.error.field,
        n.error.hint,
      );
    }
    for (const k of house.kept) {
      await add(s, k.name, n.cells.find((x) => x.step === k.step)!.output);
    }
  }
  for (const s of wanted) {
    await add(s, house.last, p.nodes.get(s.id)!.result);
  }
  const kept = await findKept(
    c,
    out.map((x) => x.hash),
  );
  return out.filter((x) => !kept.has(x.hash));
}
/**
 * What a step refuses is said with the scene's name. @throws AppError 422 in place of an InputError
 */
export async function said<T>(s: ReadyScene, f: () => Promise<T>): Promise<T> {
  try {
    return await f();
  } catch (e) {
    if (e instanceof InputError) {
      throw new AppError(422, "invalid", `${s.name}: ${e.message}`, e.field, e.hint);
    }
    throw e;
  }
}

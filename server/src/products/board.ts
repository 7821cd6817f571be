import type { BoardCell, BoardRow } from "@hindglance/contract/prepare";
import { keysOf, stepOfChain } from "@hindglance/core/chain/family";
import type { ChainResult } from "@hindglance/core/chain/row";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import type { Client } from "../db/pool";
import { type KeptImage, listKept } from "../db/products";
import { listPrepareRuns } from "../db/runs";
import type { StoredSources } from "../eval/sources";
import type { ReadyScene } from "./families";
import { iso } from "./time";
import { type OpenRun, openRun } from "./openRuns";
import { type Preparation, settingsAt } from "./preparation";

/** What a row of the board is made from. */
interface RowFacts {
  prepared: Preparation;
  scene: ReadyScene;
  chainResult: ChainResult;
  /** Results of this scene that are kept. */
  mine: readonly KeptImage[];
  keptHashes: ReadonlySet<string>;
  run: OpenRun | undefined;
  ready: boolean;
  evaluator: Evaluator;
  sources: StoredSources;
}

/** The board: scenes down, steps across, with what each cell holds and how far it is. */
export async function board(
  client: Client,
  prepared: Preparation,
  sources: StoredSources,
): Promise<BoardRow[]> {
  const kept = await listKept(client, prepared.study.id);
  const keptHashes = new Set(kept.map((image) => image.hash));
  const runs = (await listPrepareRuns(client, prepared.study.id)).map(openRun);
  const evaluator = new Evaluator({ sources });
  const rows: BoardRow[] = [];
  for (const scene of prepared.scenes) {
    const chainResult = prepared.nodes.get(scene.id);
    if (!chainResult) {
      rows.push(heldRow(prepared, scene));
      continue;
    }
    const result = nodeHash(chainResult.result, versionOf);
    const run = runs.find((open) => open.hashes.includes(result));
    const facts: RowFacts = {
      prepared,
      scene,
      chainResult,
      mine: kept.filter((image) => image.sceneId === scene.id),
      keptHashes,
      run,
      ready: keptHashes.has(result),
      evaluator,
      sources,
    };
    const cells = await cellsOf(facts);
    const failed = cells.some((cell) => cell.state === "error");
    rows.push({
      ...sceneFacts(scene),
      cells,
      result: failed ? null : result,
      ready: facts.ready,
      runId: run?.id ?? null,
    });
  }
  return rows;
}

const sceneFacts = (scene: ReadyScene) => ({
  sceneId: scene.id,
  name: scene.name,
  acquiredAt: iso(scene.acquiredAt!),
  pass: scene.detail.pass ? String(scene.detail.pass) : null,
  looks: scene.looks?.[0] ?? null,
});

/** The row of a scene that is held out of the chain. */
const heldRow = ({ family }: Preparation, scene: ReadyScene): BoardRow => ({
  ...sceneFacts(scene),
  cells: keysOf(family).map((step) => ({
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

async function cellsOf(facts: RowFacts): Promise<BoardCell[]> {
  const cells: BoardCell[] = [];
  let failed = false;
  for (const step of keysOf(facts.prepared.family)) {
    const cell = await cellOf(facts, step, failed);
    failed ||= cell.state === "error";
    cells.push(cell);
  }
  return cells;
}

/** @param blocked whether an earlier step of the row cannot run */
async function cellOf(facts: RowFacts, step: string, blocked: boolean): Promise<BoardCell> {
  const { prepared, scene, chainResult } = facts;
  const cell = chainResult.cells.find((one) => one.step === step)!;
  const plain = {
    step,
    warnings: cell.warnings,
    error: null,
    exception: prepared.state.exceptions[scene.id]?.[step] !== undefined,
  };
  if (blocked) {
    return { ...plain, state: "blocked", text: "waits" };
  }
  if (chainResult.error && step === chainResult.failedAt) {
    return failedCell(plain, chainResult.error);
  }
  if (cell.skipped) {
    return { ...plain, state: "skipped", text: "skipped" };
  }
  try {
    return { ...plain, text: await shownIn(facts, step), ...progressOf(facts, step) };
  } catch (error) {
    if (error instanceof InputError) {
      return failedCell(plain, error);
    }
    throw error;
  }
}

const failedCell = (
  plain: Pick<BoardCell, "step" | "warnings" | "exception">,
  { message, hint }: InputError,
): BoardCell => ({ ...plain, state: "error", text: "cannot run", error: { message, hint } });

/** What the step gave, in a few characters. @throws InputError where the step refuses its input */
async function shownIn(facts: RowFacts, step: string): Promise<string> {
  const { prepared, scene, chainResult, evaluator, sources } = facts;
  const cell = chainResult.cells.find((one) => one.step === step)!;
  return stepOfChain(prepared.family, step).shows({
    cell,
    info: await evaluator.info(cell.output),
    own: settingsAt(prepared, scene.id)[step]!,
    scene: prepared.chainScenes.get(scene.id)!,
    luts: () => sources.luts(scene.imageId),
  });
}

/** How far a cell is: kept, being computed, computed with other settings, or not computed yet. */
function progressOf(facts: RowFacts, step: string): Pick<BoardCell, "state" | "progress"> {
  const { chainResult, keptHashes, mine, ready, run, scene } = facts;
  const hash = nodeHash(chainResult.cells.find((one) => one.step === step)!.output, versionOf);
  if (ready || keptHashes.has(hash) || mine.some((image) => image.steps[step] === hash)) {
    return { state: "done" };
  }
  if (run) {
    return { state: "running", progress: run.share(scene.id) };
  }
  return { state: mine.length > 0 ? "stale" : "waiting" };
}

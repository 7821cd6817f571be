import { stagesStep } from "@hindglance/core/graph/steps/limits";
import type { ZonePolygons } from "../products/zonePolygons";
import { ahead } from "@hindglance/core/graph/ahead";
import { Evaluator, gatheringNodes, stripKey, stripsOf } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { cellAreas } from "@hindglance/core/grid/area";
import { type Window, BLOCK } from "@hindglance/core/grid/grid";
import { runsOf } from "@hindglance/core/patches/runs";
import {
  type LimitEffect,
  addEffects,
  mergeEffects,
  noEffects,
} from "@hindglance/core/tally/effects";
import { Tally, type TallyData } from "@hindglance/core/tally/tally";
import { rasterise } from "@hindglance/core/vector/rasterise";
import type { StoredBlock } from "../db/blocks";
import { blockWindow } from "../db/blocks";
import { findState, findTally, hasState } from "../db/nodes";
import type { Client } from "../db/pool";
import type { RangeContext } from "./kind";
import { type RowRange, rowRanges } from "./ranges";

import { labelCells } from "@hindglance/core/raster/block";
import { rangeResults } from "../db/ranges";
import { type PhasePlan } from "../db/runs";

/** An evaluator that reads the store and stops with its run. */
export const evaluatorFor = (ctx: RangeContext): Evaluator =>
  new Evaluator({
    sources: ctx.sources,
    kept: ctx.kept,
    states: ctx.states,
    signal: ctx.signal,
    onGather: (share) => ctx.progress(share),
  });

/** Cells that a worker looks at in one go: some seconds. */
export const RANGE_CELLS = 6e6;

const hashOf = (spec: NodeSpec): string => nodeHash(spec, versionOf);

/** Parts of a map that workers look at one by one. */
const partsOf = ({ grid }: ImageInfo) => rowRanges(grid.width, grid.height, RANGE_CELLS);

const PATCH_LIMITS: readonly string[] = ["limit.holes", "limit.minimumPatch"];

/** Stages before the first limit on patches, which are counted while that gathers its strips. */
interface Counted {
  /** Which of the steps that gather it is. */
  at: number;
  stages: NodeSpec[];
}

/** What is counted while strips are gathered; null where there is nothing to count, or not there. */
function countedIn(map: NodeSpec, gathering: readonly NodeSpec[]): Counted | null {
  const at = gathering.findIndex(({ step }) => PATCH_LIMITS.includes(step));
  const first = gathering[at];
  if (!first) {
    return null;
  }
  const stage = map.inputs.findIndex((input) => hashOf(input) === hashOf(first));
  const stages = map.inputs.slice(0, Math.max(0, stage));
  const last = stages.at(-1);
  return last && hashOf(last) === hashOf(first.inputs[0]!) ? { at, stages } : null;
}

/**
 * Phases that find what a map's whole-image steps need: for each such step one that gathers strips,
 * shared by all workers, and one that merges them. Steps whose facts are known already have no
 * ranges. While the strips of the first limit on patches are gathered, what the limits before it
 * did is counted too: the cells are at hand there.
 */
export class GatherPhases {
  private readonly nodes: NodeSpec[];
  private readonly before: Counted | null;
  private readonly names: string[];
  readonly plan: PhasePlan[];

  /** @param map all stages of a map as one image */
  constructor(private readonly map: NodeSpec) {
    this.nodes = gatheringNodes(map);
    this.before = countedIn(map, this.nodes);
    this.names = stagesStep.params.validateSync(map.params, { strict: true }).names;
    this.plan = this.nodes.flatMap((): PhasePlan[] => [
      { name: "Looking at the whole image", weight: 3 },
      { name: "Putting it together", weight: 0.3 },
    ]);
  }

  /** Stages that are counted while they are gathered, and the phase in which they are. */
  get counted(): { phase: number; stages: number } | null {
    return this.before && { phase: 2 * this.before.at, stages: this.before.stages.length };
  }

  async ranges(phase: number, info: ImageInfo, client: Client): Promise<number[]> {
    if (await hasState(client, `${hashOf(this.nodes[phase >> 1]!)}/0`)) {
      return [];
    }
    return phase % 2 ? [1] : partsOf(info).map(({ cells }) => cells);
  }

  async work(
    phase: number,
    seq: number,
    info: ImageInfo,
    ctx: RangeContext,
  ): Promise<{ result?: object }> {
    const spec = this.nodes[phase >> 1]!;
    const evaluator = evaluatorFor(ctx);
    if (phase % 2) {
      await evaluator.gatherAll(spec);
      return {};
    }
    // The step may look at another grid than the map's: its strips are shared out evenly over the
    // ranges.
    const strips = stripsOf(await evaluator.info(spec.inputs[0]!));
    const count = partsOf(info).length;
    const from = Math.floor((seq * strips.length) / count);
    const to = Math.floor(((seq + 1) * strips.length) / count);
    if (phase !== this.counted?.phase) {
      await evaluator.gatherStrips(spec, from, to);
      return {};
    }
    return { result: { effects: await this.countStrips(spec, strips, from, to, info, ctx) } };
  }

  /** Gathers strips of the first limit on patches, and counts what the limits before it did. */
  private async countStrips(
    spec: NodeSpec,
    strips: ReturnType<typeof stripsOf>,
    from: number,
    to: number,
    info: ImageInfo,
    ctx: RangeContext,
  ): Promise<LimitEffect[]> {
    const { stages } = this.before!;
    const names = this.names.slice(0, stages.length);
    const counted: NodeSpec = { step: "limit.stages", params: { names }, inputs: stages };
    const areas = cellAreas(info.grid);
    const effects = noEffects(names.slice(1));
    for (let k = from; k < to; k++) {
      const strip = strips[k]!;
      const cells = await countStrip(counted, strip, areas, effects, ctx);
      const runs = runsOf(cells, strip.width, strip.height);
      await ctx.states.put(stripKey(`${hashOf(spec)}/0`, k), { ...runs });
      ctx.progress((k + 1 - from) / (to - from));
    }
    return effects;
  }

  /**
   * What the limits did, from the strips and from what the limits on patches found; null where
   * that is not known, and the stages have to be looked at again.
   */
  async effects(
    results: <T>(phase: number) => Promise<T[]>,
    client: Client,
  ): Promise<LimitEffect[] | null> {
    const { counted } = this;
    if (!counted) {
      return null;
    }
    const found = await results<{ effects?: LimitEffect[] } | null>(counted.phase);
    const parts = found.flatMap((one) => (one?.effects ? [one.effects] : []));
    if (parts.length === 0) {
      return null;
    }
    const rest: LimitEffect[] = [];
    for (const [k, spec] of this.map.inputs.slice(counted.stages).entries()) {
      const state = await findState(client, `${hashOf(spec)}/0`);
      if (typeof state?.droppedCells !== "number") {
        return null;
      }
      rest.push({
        name: this.names[counted.stages + k]!,
        droppedCells: state.droppedCells,
        droppedM2: Number(state.droppedM2),
        addedCells: Number(state.addedCells),
        addedM2: Number(state.addedM2),
      });
    }
    return [...mergeEffects(parts), ...rest];
  }
}

/** Labels of a strip after all stages; what each stage did is added to `effects`. */
async function countStrip(
  stages: NodeSpec,
  strip: Window,
  areas: ReturnType<typeof cellAreas>,
  effects: LimitEffect[],
  ctx: RangeContext,
): Promise<Uint8Array> {
  const evaluator = evaluatorFor(ctx);
  const cells = new Uint8Array(strip.width * strip.height);
  const windowAt = (k: number): Window => ({
    col: k * BLOCK,
    row: strip.row,
    width: Math.min(BLOCK, strip.width - k * BLOCK),
    height: strip.height,
  });
  await ahead(
    Math.ceil(strip.width / BLOCK),
    (k) => evaluator.read(stages, 0, windowAt(k)),
    ({ window, bands }) => {
      ctx.signal.throwIfAborted();
      addEffects(bands.map(labelCells), window, areas, effects);
      const last = labelCells(bands.at(-1)!);
      for (let r = 0; r < window.height; r++) {
        const row = last.subarray(r * window.width, (r + 1) * window.width);
        cells.set(row, r * strip.width + window.col);
      }
    },
  );
  return cells;
}

/**
 * Evaluates block rows of a class node at full resolution, tallies them, and hands on the labels.
 * Of an image of several stages the last band is the map, and what each stage did is counted too.
 */
export async function classRows(
  node: NodeSpec,
  info: ImageInfo,
  range: RowRange,
  zones: ZonePolygons,
  ctx: RangeContext,
  keep: boolean,
): Promise<{ tally: TallyData; blocks: StoredBlock[] }> {
  const evaluator = evaluatorFor(ctx);
  const areas = cellAreas(info.grid);
  const tally = new Tally(zones.length + 1);
  const last = info.bands.length - 1;
  const effects = noEffects(info.bands.slice(1).map((band) => band.name));
  const blocks: StoredBlock[] = [];
  const across = Math.ceil(info.grid.width / BLOCK);
  const count = (range.to - range.from) * across;
  const windowAt = (k: number) =>
    blockWindow(range.from + Math.floor(k / across), k % across, info.grid.width, info.grid.height);
  await ahead(
    count,
    (k) => evaluator.read(node, 0, windowAt(k)),
    (block, k) => {
      ctx.signal.throwIfAborted();
      const w = windowAt(k);
      const labels = labelCells(block.bands[last]!);
      addEffects(block.bands.map(labelCells), w, areas, effects);
      let zone: Uint16Array | null = null;
      if (zones.length) {
        zone = new Uint16Array(labels.length);
        zones.forEach((z, i) => rasterise(z.polygons, info.grid, w, i + 1, zone!));
      }
      tally.add(labels, zone, w, areas);
      if (keep) {
        blocks.push({
          level: 0,
          row: range.from + Math.floor(k / across),
          col: k % across,
          band: 0,
          cells: labels,
        });
      }
      ctx.progress((k + 1) / count);
    },
  );
  return { tally: { ...tally.toJSON(), limits: effects }, blocks };
}

/**
 * As classRows, but looks at the stages only where nobody has counted what they did: not while
 * their strips were gathered, and not for an earlier run of the same map.
 * @param key hash of the map, by which its tally is kept
 */
export async function countedRows(
  stages: NodeSpec,
  info: ImageInfo,
  range: RowRange,
  zones: ZonePolygons,
  ctx: RangeContext,
  keep: boolean,
  key: string,
  runId: string,
): Promise<{ tally: TallyData; blocks: StoredBlock[] }> {
  const { counted } = new GatherPhases(stages);
  const known = await ctx.db.withClient(
    async (client) =>
      !!(await findTally(client, key))?.limits ||
      (counted !== null &&
        (await rangeResults<{ effects?: LimitEffect[] } | null>(client, runId, counted.phase)).some(
          (r) => r?.effects,
        )),
  );
  if (!known) {
    return classRows(stages, info, range, zones, ctx, keep);
  }
  const { tally, blocks } = await classRows(
    stages.inputs.at(-1)!,
    { ...info, bands: [info.bands.at(-1)!] },
    range,
    zones,
    ctx,
    keep,
  );
  const { limits: _none, ...plain } = tally;
  return { tally: plain, blocks };
}

/** Areas counted on parts as those of the whole. */
export function mergeTallies(parts: TallyData[]): TallyData {
  const tally = new Tally(parts[0]?.zones ?? 1);
  for (const part of parts) {
    tally.merge(part);
  }
  return {
    ...tally.toJSON(),
    ...(parts[0]?.limits ? { limits: mergeEffects(parts.map((part) => part.limits!)) } : {}),
    ...(parts[0]?.confirmed
      ? { confirmed: mergeTallies(parts.map((part) => part.confirmed!)) }
      : {}),
  };
}

import { LRUCache } from "lru-cache";
import { ValidationError } from "yup";
import { bytesOf } from "../bytes";
import { CancelledError, InputError, messageOf } from "../errors";
import { BLOCK, type Window, intersect, levelGrid } from "../grid/grid";
import { type Block, crop, emptyBeyond, emptyCells } from "../raster/block";
import type { Model } from "../classify/model";
import type { ProductLuts } from "../radar/luts";
import type { ImageInfo } from "./image";
import { type NodeSpec, nodeHash, walk } from "./node";
import { overviewLevel } from "./overview";
import type { Asker, Step, StepContext, StepReport, StepState } from "./step";
import { stepOf, versionOf } from "./registry";

/** Where cells that are not computed come from. */
export interface SourceReader {
  info(image: string): Promise<ImageInfo>;
  /** Window of a stored image at a level; it lies inside the level's grid. */
  read(image: string, level: number, window: Window): Promise<Block>;
  /** Look-up tables of a product's image. @throws InputError when it has none */
  luts?(image: string): Promise<ProductLuts>;
  /** A trained model. @throws InputError when it is not there */
  model?(id: string): Promise<Model>;
}

/**
 * Cells of a node that somebody else already has (a kept result, or a server when this is a
 * browser).
 */
export interface KeptReader {
  has(hash: string): boolean | Promise<boolean>;
  info(hash: string): Promise<ImageInfo>;
  read(hash: string, level: number, window: Window): Promise<Block>;
}

/**
 * Keeps what steps gathered, by node hash and level; strips by that and their number until they are
 * merged.
 */
export interface StateStore {
  get(key: string): Promise<StepState | null>;
  put(key: string, state: StepState): Promise<void>;
  remove(keys: readonly string[]): Promise<void>;
}

export interface EvaluatorOptions {
  sources: SourceReader;
  kept?: KeptReader;
  states?: StateStore;
  preview?: boolean;
  signal?: Pick<AbortSignal, "aborted">;
  /** Blocks of these nodes are remembered between calls. */
  remember?: { hashes: ReadonlySet<string>; store: Map<string, Promise<Block>> };
  /** Called as strips are gathered or read back. */
  onGather?(share: number): void;
}

/** Images whose description an evaluator remembers. */
const MOST_INFOS = 5000;
/** Bytes of what steps gathered that it remembers: what was not asked for lately goes first. */
const STATE_BYTES = 32 << 20;

/**
 * Computes any window of any node at any level. Levels are powers of two; level 0 is full
 * resolution. Cells outside the
 * image are nodata. Nothing else in the program computes pixels.
 */
export class Evaluator {
  private readonly infos = new LRUCache<string, Promise<ImageInfo>>({ max: MOST_INFOS });
  /** What steps gathered; one on its way counts little until it is there. */
  private readonly states = new LRUCache<string, Promise<StepState>>({ maxSize: STATE_BYTES });
  constructor(private readonly options: EvaluatorOptions) {}

  /**
   * Grid, bands and type of a node. @throws InputError when a step refuses its inputs or parameters
   */
  async info(node: NodeSpec): Promise<ImageInfo> {
    const h = nodeHash(node, versionOf);
    let pending = this.infos.get(h);
    if (!pending) {
      pending = this.describe(node);
      this.infos.set(h, pending);
      pending.catch(() => this.infos.delete(h));
    }
    return pending;
  }

  private async describe(node: NodeSpec): Promise<ImageInfo> {
    const hash = nodeHash(node, versionOf);
    if (node.step !== "source" && (await this.options.kept?.has(hash))) {
      return this.options.kept!.info(hash);
    }
    if (node.step === "source") {
      return this.options.sources.info(String(node.params.image));
    }
    const step = stepOf(node.step);
    if (node.inputs.length < step.inputs.min || node.inputs.length > step.inputs.max) {
      throw new InputError(
        `"${step.title}" takes ${step.inputs.min} to ${step.inputs.max} images, not ${node.inputs.length}`,
        "inputs",
      );
    }
    const params = checkedParams(step, node.params);
    return step.describe(await Promise.all(node.inputs.map((input) => this.info(input))), params);
  }

  /** Cells of a window at a level. */
  async read(node: NodeSpec, level: number, window: Window): Promise<Block> {
    return this.readShared(node, level, window, new Map());
  }

  private readShared(
    node: NodeSpec,
    level: number,
    window: Window,
    shared: Map<string, Promise<Block>>,
  ): Promise<Block> {
    const h = nodeHash(node, versionOf);
    const key = `${h}/${level}/${window.col},${window.row},${window.width},${window.height}`;
    const keep = this.options.remember?.hashes.has(h) ? this.options.remember.store : shared;
    let promised = keep.get(key);
    if (!promised) {
      promised = this.compute(node, h, level, window, shared);
      keep.set(key, promised);
      promised.catch(() => keep.delete(key));
    }
    return promised;
  }

  private async compute(
    node: NodeSpec,
    hash: string,
    level: number,
    window: Window,
    shared: Map<string, Promise<Block>>,
  ): Promise<Block> {
    if (this.options.signal?.aborted) {
      throw new CancelledError();
    }
    const info = await this.info(node);
    const isSource = node.step === "source";
    if (isSource || (await this.options.kept?.has(hash))) {
      const inside = intersect(window, { col: 0, row: 0, ...sizeAt(info, level) });
      if (!inside) {
        return {
          window,
          bands: info.bands.map(() => emptyCells(info.type, window.width * window.height)),
        };
      }
      const block = isSource
        ? await this.options.sources.read(String(node.params.image), level, inside)
        : await this.options.kept!.read(hash, level, inside);
      return crop(block, window);
    }
    const ctx = await this.context(node, hash, level);
    const step = stepOf(node.step);
    const blocks = await Promise.all(
      step
        .reach(window, ctx)
        .map((inputRequest, i) =>
          this.readShared(node.inputs[i]!, inputRequest.level, inputRequest.window, shared),
        ),
    );
    const out: Block = {
      window,
      bands: info.bands.map(() =>
        info.type === "float32"
          ? new Float32Array(window.width * window.height)
          : new Uint8Array(window.width * window.height),
      ),
    };
    step.compute(blocks, out, ctx);
    emptyBeyond(out, sizeAt(info, level));
    return out;
  }

  private async context(
    node: NodeSpec,
    hash: string,
    level: number,
  ): Promise<StepContext<object, StepState>> {
    const step = stepOf(node.step);
    const base = await Promise.all(node.inputs.map((input) => this.info(input)));
    const info = await this.info(node);
    const ctx = {
      params: checkedParams(step, node.params),
      level,
      base,
      inputs: base.map((b) => atLevel(b, level)),
      output: atLevel(info, level),
      preview: this.options.preview ?? false,
      state: undefined,
      ...(step.needsLuts ? { luts: await this.luts(node) } : {}),
      ...(step.needsModel ? { model: await this.model(node) } : {}),
    };
    if (!step.gather) {
      return ctx;
    }
    if (!step.overview) {
      return ctx.preview ? ctx : { ...ctx, state: await this.state(node, step, hash, ctx) };
    }
    const top = overviewLevel(base[0]!);
    return {
      ...ctx,
      state: await this.state(node, step, hash, {
        ...ctx,
        level: top,
        inputs: base.map((b) => atLevel(b, top)),
        output: atLevel(info, top),
      }),
    };
  }

  /** What the step of a node found; null when it has nothing to tell. */
  async report(node: NodeSpec): Promise<StepReport | null> {
    const step = node.step === "source" ? null : stepOf(node.step);
    if (!step?.report) {
      return null;
    }
    const ctx = await this.context(node, nodeHash(node, versionOf), 0);
    return step.gather && !ctx.state ? null : step.report(ctx);
  }

  /** Tables of the stored image at the end of a node's first inputs. */
  private luts(node: NodeSpec): Promise<ProductLuts> {
    let s = node;
    while (s.step !== "source") {
      s = s.inputs[0]!;
    }
    if (!this.options.sources.luts) {
      throw new InputError("No product tables can be read here", "inputs");
    }
    return this.options.sources.luts(String(s.params.image));
  }

  private model(node: NodeSpec): Promise<Model> {
    if (!this.options.sources.model) {
      throw new InputError("No trained model can be read here", "model");
    }
    return this.options.sources.model(String(node.params.model));
  }

  /** Makes sure that what a node's whole-image steps need is known. Cheap when it is. */
  async gatherAll(node: NodeSpec): Promise<void> {
    for (const input of node.inputs) {
      await this.gatherAll(input);
    }
    if (node.step !== "source") {
      await this.context(node, nodeHash(node, versionOf), 0);
    }
  }

  /**
   * Gathers strips [from, to) of a node at full resolution and stores them, for a later merge by
   * whoever asks first.
   */
  async gatherStrips(node: NodeSpec, from: number, to: number): Promise<void> {
    const step = stepOf(node.step);
    const hash = nodeHash(node, versionOf);
    const base = await Promise.all(node.inputs.map((input) => this.info(input)));
    const info = await this.info(node);
    const ctx = {
      params: checkedParams(step, node.params),
      level: 0,
      base,
      inputs: base,
      output: info,
      preview: false,
      state: undefined,
    };
    for (let k = from; k < to; k++) {
      const key = stripKey(`${hash}/0`, k);
      if (!(await this.options.states!.get(key))) {
        await this.options.states!.put(
          key,
          await step.gather!.strip(this.asker(node, ctx), stripsOf(base[0]!)[k]!, ctx),
        );
      }
      this.options.onGather?.((k + 1 - from) / (to - from));
    }
  }

  private asker(node: NodeSpec, ctx: { inputs: readonly ImageInfo[]; level: number }): Asker {
    return { inputs: ctx.inputs, read: (i, w) => this.read(node.inputs[i]!, ctx.level, w) };
  }

  private state(
    node: NodeSpec,
    step: Step,
    hash: string,
    ctx: StepContext<object, StepState>,
  ): Promise<StepState> {
    const key = `${factsHash(node, step, hash)}/${ctx.level}`;
    const { states } = this.options;
    let promised = this.states.get(key);
    if (!promised) {
      promised = (async () => {
        const stored = await states?.get(key);
        if (stored) {
          return stored;
        }
        const strips = stripsOf(ctx.inputs[0]!);
        const keys = strips.map((_s, k) => stripKey(key, k));
        const parts: StepState[] = [];
        for (const [k, strip] of strips.entries()) {
          parts.push(
            (await states?.get(keys[k]!)) ??
              (await step.gather!.strip(this.asker(node, ctx), strip, ctx)),
          );
          this.options.onGather?.((k + 1) / strips.length);
        }
        const state = step.gather!.merge(parts, ctx);
        await states?.put(key, state);
        await states?.remove(keys);
        return state;
      })();
      this.states.set(key, promised, { size: 1 });
      const made = promised;
      made.then(
        (state) => this.states.set(key, made, { size: Math.min(STATE_BYTES, bytesOf(state)) }),
        () => this.states.delete(key),
      );
    }
    return promised;
  }
}

/**
 * Nodes under a node, it included, whose step looks at the whole image; inputs before what is made
 * of them.
 */
export function gatheringNodes(node: NodeSpec): NodeSpec[] {
  const found = new Map<string, NodeSpec>();
  walk(node, (x) => {
    if (x.step !== "source" && stepOf(x.step).gather && !stepOf(x.step).overview) {
      found.set(nodeHash(x, versionOf), x);
    }
  });
  return [...found.values()];
}

/** Strips of whole block rows, from the top. */
export const stripsOf = (info: ImageInfo): Window[] =>
  Array.from({ length: Math.ceil(info.grid.height / BLOCK) }, (_v, k) => ({
    col: 0,
    row: k * BLOCK,
    width: info.grid.width,
    height: Math.min(BLOCK, info.grid.height - k * BLOCK),
  }));
/**
 * Under which name what a strip gave is stored until it is merged. @param key hash of the node and
 * level, as hash/level
 */
export const stripKey = (key: string, k: number): string => `${key}/strip/${k}`;

/** What is known of an image at a coarser level: its grid is that level's. */
export const atLevel = (info: ImageInfo, level: number): ImageInfo =>
  level === 0 ? info : { ...info, grid: levelGrid(info.grid, level) };
const sizeAt = (info: ImageInfo, level: number) => {
  const grid = levelGrid(info.grid, level);
  return { width: grid.width, height: grid.height };
};

/** Identity of the facts that a step gathers: of those parameters alone that they depend on. */
function factsHash(node: NodeSpec, { gathers }: Step, hash: string): string {
  if (!gathers) {
    return hash;
  }
  const params = Object.fromEntries(gathers.map((name) => [name, node.params[name]]));
  return nodeHash({ ...node, params }, versionOf);
}

function checkedParams(step: Step, params: Record<string, unknown>): object {
  try {
    return step.params.validateSync(params, { strict: true, abortEarly: true });
  } catch (error) {
    const path = error instanceof ValidationError ? error.path : undefined;
    throw new InputError(`${step.title}: ${messageOf(error)}`, path ? `params.${path}` : "params");
  }
}

import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { cellAreas } from "@hindglance/core/grid/area";
import { type Grid, type Window, fullWindow, levelGrid } from "@hindglance/core/grid/grid";
import { type Block, CLASS_NODATA, copyWindow, labelCells } from "@hindglance/core/raster/block";
import { Tally } from "@hindglance/core/tally/tally";
import type { NodeView } from "../api/types";
import { type Fetcher, NodeCells } from "../map/nodeCells";

export interface LiveAreas {
  byLabel: Record<number, { cells: number; areaM2: number }>;
  seenM2: number;
  level: number;
  milliseconds: number;
}

/** Largest number of cells that is measured while a threshold is dragged. */
export const LIVE_CELLS = 1.6e6;

/**
 * The level at which areas are measured while a threshold is dragged: the finest of at most 1.6
 * million cells.
 */
export const liveLevel = (nodeView: NodeView): number => {
  for (let level = 0; level < nodeView.levels; level++) {
    const grid = levelGrid(nodeView.info.grid, level);
    if (grid.width * grid.height <= LIVE_CELLS) {
      return level;
    }
  }
  return nodeView.levels - 1;
};

/**
 * What is fetched once and kept: the gated stack, and groups where classes come from them.
 * `layers`: nodes that stand in the stack as bands.
 */
export interface LiveBase {
  gated: NodeView;
  groups: NodeView | null;
  layers: { name: string; hash: string }[];
}

/** A part of some bands of a block. */
function cut(from: Block, window: Window, bands: readonly number[]): Block {
  return {
    window,
    bands: bands.map((k) => {
      const band = from.bands[k]!;
      const cells = window.width * window.height;
      const out = band instanceof Float32Array ? new Float32Array(cells) : new Uint8Array(cells);
      copyWindow(band, from.window, out, window);
      return out;
    }),
  };
}

const unknown = () => Promise.reject(new Error("Only the stack is known here"));

/** Areas by class of a block of labels. */
function areasIn(labels: Block, grid: Grid): Pick<LiveAreas, "byLabel" | "seenM2"> {
  const tally = new Tally(1);
  tally.add(labelCells(labels.bands[0]!), null, fullWindow(grid), cellAreas(grid));
  const byLabel: LiveAreas["byLabel"] = {};
  let seenM2 = 0;
  for (let label = 0; label < CLASS_NODATA; label++) {
    const found = tally.of(label, 0);
    if (found.cells) {
      byLabel[label] = found;
      seenM2 += found.areaM2;
    }
  }
  return { byLabel, seenM2 };
}

/**
 * Areas of a class node at an overview level, by the same evaluator as on the server. Everything up
 * to the gated stack is fetched once; only rules and limits are computed again when a threshold
 * moves.
 */
export class LiveMeter {
  private readonly level: number;
  private readonly grid: Grid;
  private readonly wholes = new Map<string, Promise<Block>>();
  private readonly store = new Map<string, Promise<Block>>();

  constructor(
    private readonly base: LiveBase,
    private readonly fetcher?: Fetcher,
  ) {
    this.level = liveLevel(base.gated);
    this.grid = levelGrid(base.gated.info.grid, this.level);
  }

  /** @throws Error where the node needs more than the stack and the groups */
  async measure(spec: NodeSpec): Promise<LiveAreas> {
    const t0 = performance.now();
    const { level, grid } = this;
    const evaluator = new Evaluator({
      sources: { info: unknown, read: unknown },
      kept: {
        has: (hash) => this.viewOf(hash) !== null || this.bandOf(hash) >= 0,
        info: (hash) => Promise.resolve(this.infoOf(hash)),
        read: (hash, _level, window) => this.read(hash, window),
      },
      remember: { hashes: new Set([this.base.gated.hash]), store: this.store },
    });
    const labels = await evaluator.read(spec, level, fullWindow(grid));
    return { ...areasIn(labels, grid), level, milliseconds: performance.now() - t0 };
  }

  /** Layers that limits read are bands of the stack: taken from there, not computed. −1: none. */
  private bandOf(hash: string): number {
    const { layers, gated } = this.base;
    const layer = layers.find((one) => one.hash === hash);
    return layer ? gated.info.bands.findIndex(({ name }) => name === layer.name) : -1;
  }

  private viewOf(hash: string): NodeView | null {
    const { gated, groups } = this.base;
    return [gated, groups].find((view) => view?.hash === hash) ?? null;
  }

  private infoOf(hash: string): ImageInfo {
    const { info } = this.base.gated;
    return this.viewOf(hash)?.info ?? { ...info, bands: [info.bands[this.bandOf(hash)]!] };
  }

  private async read(hash: string, window: Window): Promise<Block> {
    const view = this.viewOf(hash);
    const from = await this.whole(view ?? this.base.gated);
    if (!view) {
      return cut(from, window, [this.bandOf(hash)]);
    }
    const isWhole = window.width === this.grid.width && window.height === this.grid.height;
    return isWhole ? from : cut(from, window, [...view.info.bands.keys()]);
  }

  private whole(view: NodeView): Promise<Block> {
    const pending = this.wholes.get(view.hash) ?? this.load(view);
    this.wholes.set(view.hash, pending);
    return pending;
  }

  private async load(view: NodeView): Promise<Block> {
    const cells = new NodeCells(view, this.fetcher);
    const { block, info } = view;
    const window = fullWindow(this.grid);
    const n = window.width * window.height;
    const bands = info.bands.map(() =>
      info.type === "class8" ? new Uint8Array(n) : new Float32Array(n),
    );
    const place = async (row: number, col: number): Promise<void> => {
      const tile = await cells.tile(this.level, row, col);
      const { width, height } = tile;
      const from = { col: col * block, row: row * block, width, height };
      tile.bands.forEach((band, k) => copyWindow(band, from, bands[k]!, window));
    };
    const tiles: Promise<void>[] = [];
    for (let row = 0; row * block < window.height; row++) {
      for (let col = 0; col * block < window.width; col++) {
        tiles.push(place(row, col));
      }
    }
    await Promise.all(tiles);
    return { window, bands };
  }
}

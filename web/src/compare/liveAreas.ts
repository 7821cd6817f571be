import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { cellAreas } from "@hindglance/core/grid/area";
import { type Window, fullWindow, levelGrid } from "@hindglance/core/grid/grid";
import { type Block, copyWindow, labelCells } from "@hindglance/core/raster/block";
import { Tally } from "@hindglance/core/tally/tally";
import type { NodeView } from "../api/types";
import { NodeCells } from "../map/nodeCells";

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

/**
 * Areas of a class node at an overview level, by the same evaluator as on the server. Everything up
 * to the gated stack is fetched
 * once; only rules and limits are computed again when a threshold moves.
 */
export class LiveMeter {
  private readonly level: number;
  private readonly wholes = new Map<string, Promise<Block>>();
  private readonly store = new Map<string, Promise<Block>>();
  constructor(
    private readonly base: LiveBase,
    private readonly fetcher?: typeof fetch,
  ) {
    this.level = liveLevel(base.gated);
  }

  async measure(spec: NodeSpec): Promise<LiveAreas> {
    const t0 = performance.now();
    const {
      base: { gated, groups, layers },
      level,
    } = this;
    const grid = levelGrid(gated.info.grid, level);
    const whole = (nodeView: NodeView) => {
      let ownPending = this.wholes.get(nodeView.hash);
      if (!ownPending) {
        ownPending = this.load(nodeView, grid);
        this.wholes.set(nodeView.hash, ownPending);
      }
      return ownPending;
    };
    // Layers that limits read are bands of the stack; they are taken from there, not computed.
    const bandOf = (h: string): number => {
      const layer = layers.find((x) => x.hash === h);
      return layer ? gated.info.bands.findIndex((band) => band.name === layer.name) : -1;
    };
    const cut = (from: Block, w: Window, bands: number[]): Block => ({
      window: w,
      bands: bands.map((k) => {
        const src = from.bands[k]!;
        const out =
          src instanceof Float32Array
            ? new Float32Array(w.width * w.height)
            : new Uint8Array(w.width * w.height);
        copyWindow(src, from.window, out, w);
        return out;
      }),
    });
    const viewOf = (h: string): NodeView | null => {
      if (h === gated.hash) {
        return gated;
      }
      if (groups && h === groups.hash) {
        return groups;
      }
      return null;
    };
    const evaluator = new Evaluator({
      sources: {
        info: () => Promise.reject(new Error("Only the stack is known here")),
        read: () => Promise.reject(new Error("Only the stack is known here")),
      },
      kept: {
        has: (h) => viewOf(h) !== null || bandOf(h) >= 0,
        info: async (h) =>
          viewOf(h)?.info ?? { ...gated.info, bands: [gated.info.bands[bandOf(h)]!] },
        read: async (h, _l, w) => {
          const nodeView = viewOf(h);
          const from = await whole(nodeView ?? gated);
          if (nodeView) {
            if (w.width === grid.width && w.height === grid.height) {
              return from;
            }
            return cut(
              from,
              w,
              nodeView.info.bands.map((_b, k) => k),
            );
          }
          return cut(from, w, [bandOf(h)]);
        },
      },
      remember: { hashes: new Set([gated.hash]), store: this.store },
    });
    const labels = labelCells((await evaluator.read(spec, level, fullWindow(grid))).bands[0]!);
    const tally = new Tally(1);
    tally.add(labels, null, fullWindow(grid), cellAreas(grid));
    const byLabel: LiveAreas["byLabel"] = {};
    let seenM2 = 0;
    for (let ownLevel = 0; ownLevel < 255; ownLevel++) {
      const value = tally.of(ownLevel, 0);
      if (value.cells) {
        byLabel[ownLevel] = value;
        seenM2 += value.areaM2;
      }
    }
    return { byLabel, seenM2, level, milliseconds: performance.now() - t0 };
  }

  private async load(nodeView: NodeView, size: { width: number; height: number }): Promise<Block> {
    const cells = new NodeCells(nodeView, this.fetcher);
    const { block, info } = nodeView;
    const window = fullWindow(size);
    const bands = info.bands.map(() =>
      info.type === "class8"
        ? new Uint8Array(size.width * size.height)
        : new Float32Array(size.width * size.height),
    );
    const tiles: Promise<void>[] = [];
    for (let row = 0; row * block < size.height; row++) {
      for (let col = 0; col * block < size.width; col++) {
        tiles.push(
          cells
            .tile(this.level, row, col)
            .then((tile) =>
              tile.bands.forEach((band, k) =>
                copyWindow(
                  band,
                  { col: col * block, row: row * block, width: tile.width, height: tile.height },
                  bands[k]!,
                  window,
                ),
              ),
            ),
        );
      }
    }
    await Promise.all(tiles);
    return { window, bands };
  }
}

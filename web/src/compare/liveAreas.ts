import { Evaluator } from '@hindglance/core/graph/evaluator';
import { nodeHash, walk, type NodeSpec } from '@hindglance/core/graph/node';
import { versionOf } from '@hindglance/core/graph/registry';
import { cellAreas } from '@hindglance/core/grid/area';
import { type Window, fullWindow, levelGrid } from '@hindglance/core/grid/grid';
import { type Block, copyWindow } from '@hindglance/core/raster/block';
import { Tally } from '@hindglance/core/tally/tally';
import type { NodeView } from '../api/types';
import { NodeCells } from '../map/nodeCells';

export interface LiveAreas { byLabel: Record<number, { cells: number; areaM2: number }>; seenM2: number; level: number; milliseconds: number }

/** Largest number of cells that is measured while a threshold is dragged. */
export const LIVE_CELLS = 1.6e6;
export const liveLevel = (n: NodeView): number => { for (let l = 0; l < n.levels; l++) { const g = levelGrid(n.info.grid, l); if (g.width * g.height <= LIVE_CELLS) return l; } return n.levels - 1; };

/**
 * Areas of a class node at an overview level, by the same evaluator as on the server. Everything up to the gated stack is fetched
 * once; only rules and limits are computed again when a threshold moves.
 */
export class LiveMeter {
  private readonly cells: NodeCells;
  private readonly level: number;
  private stack: Promise<Block> | null = null;
  private readonly store = new Map<string, Promise<Block>>();
  constructor(private readonly gated: NodeView, fetcher?: typeof fetch) { this.cells = new NodeCells(gated, fetcher); this.level = liveLevel(gated); }

  async measure(spec: NodeSpec): Promise<LiveAreas> {
    const t0 = performance.now(), { gated, level } = this;
    const g = levelGrid(gated.info.grid, level), whole = await (this.stack ??= this.load(g));
    // The slope that the limit reads is a band of the stack; its node is taken from there, not computed.
    const slope = gated.info.bands.findIndex((b) => b.name === 'slope'), slopeHashes = new Set<string>();
    walk(spec, (n) => { if (n.step === 'terrain.slope') slopeHashes.add(nodeHash(n, versionOf)); });
    const cut = (w: Window, bands: number[]): Block => ({ window: w, bands: bands.map((k) => { const out = new Float32Array(w.width * w.height); copyWindow(whole.bands[k]!, whole.window, out, w); return out; }) });
    const e = new Evaluator({
      sources: { info: () => Promise.reject(new Error('Only the stack is known here')), read: () => Promise.reject(new Error('Only the stack is known here')) },
      kept: {
        has: (h) => h === gated.hash || (slope >= 0 && slopeHashes.has(h)),
        info: async (h) => (h === gated.hash ? gated.info : { ...gated.info, bands: [gated.info.bands[slope]!] }),
        read: async (h, _l, w) => (h === gated.hash ? (w.width === g.width && w.height === g.height ? whole : cut(w, gated.info.bands.map((_b, k) => k))) : cut(w, [slope])),
      },
      remember: { hashes: new Set([gated.hash]), store: this.store },
    });
    const labels = (await e.read(spec, level, fullWindow(g))).bands[0] as Uint8Array;
    const tally = new Tally(1);
    tally.add(labels, null, fullWindow(g), cellAreas(g));
    const byLabel: LiveAreas['byLabel'] = {};
    let seenM2 = 0;
    for (let l = 0; l < 255; l++) { const v = tally.of(l, 0); if (v.cells) { byLabel[l] = v; seenM2 += v.areaM2; } }
    return { byLabel, seenM2, level, milliseconds: performance.now() - t0 };
  }

  private async load(g: { width: number; height: number }): Promise<Block> {
    const { block, info } = this.gated, window = fullWindow(g), bands = info.bands.map(() => new Float32Array(g.width * g.height));
    const tiles: Promise<void>[] = [];
    for (let row = 0; row * block < g.height; row++) for (let col = 0; col * block < g.width; col++) {
      tiles.push(this.cells.tile(this.level, row, col).then((t) => t.bands.forEach((b, k) => copyWindow(b, { col: col * block, row: row * block, width: t.width, height: t.height }, bands[k]!, window))));
    }
    await Promise.all(tiles);
    return { window, bands };
  }
}

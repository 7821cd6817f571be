import type { Evaluator } from "../../graph/evaluator";
import type { ImageInfo } from "../../graph/image";
import type { NodeSpec } from "../../graph/node";
import { overviewLevel } from "../../graph/overview";
import { cellAreas } from "../../grid/area";
import { BLOCK, type Window, blockWindows, fullWindow, levelGrid } from "../../grid/grid";
import { copyWindow, realCells } from "../../raster/block";
import type { Sample } from "./bodies";
import { type FirstMap, firstWaterMap } from "./firstMap";
import { relativeLevels, levelsOf } from "./levels";
import { type SampleNodes, sampleNodes, sampleOf } from "./nodes";
import type { ChangeInputs, ChangeSetup } from "../setup";
import { quantile, addToHistogram, emptyHistogram } from "../../raster/histogram";

/** Cells of a pair that are looked at, at the most. */
const MOST_CELLS = 3e6;
/** Decibels beyond which a cell of the overview changed. */
const CHANGED_DB = 3;

/** What a first map is asked with. */
export interface FirstMapAsk extends SampleNodes {
  polarisation: string | null;
  leastCells: number;
}

/** How much of each block of an image changed, by its overview. */
async function changedByBlock(
  evaluator: Evaluator,
  node: NodeSpec,
  info: ImageInfo,
  names: readonly string[],
): Promise<Map<string, number>> {
  const level = overviewLevel(info);
  const grid = levelGrid(info.grid, level);
  const out = new Map<string, number>();
  for (const window of blockWindows(grid)) {
    const { bands } = await evaluator.read(node, level, window);
    const before = realCells(bands[names.indexOf("before")]!);
    const after = realCells(bands[names.indexOf("after")]!);
    for (let i = 0; i < before.length; i++) {
      if (Math.abs(after[i]! - before[i]!) > CHANGED_DB) {
        const col = (window.col + (i % window.width)) * 2 ** level;
        const row = (window.row + Math.floor(i / window.width)) * 2 ** level;
        const key = `${Math.floor(row / BLOCK)} ${Math.floor(col / BLOCK)}`;
        out.set(key, (out.get(key) ?? 0) + 1);
      }
    }
  }
  return out;
}

/**
 * Blocks that stand for an image that is too large to be looked at whole: half of them spread
 * evenly, the others those in which its overview shows most change, so that small floods are not
 * passed over.
 */
async function picked(
  evaluator: Evaluator,
  { node, names }: FirstMapAsk,
  info: ImageInfo,
): Promise<Window[]> {
  const windows = [...blockWindows(info.grid)];
  const most = Math.max(2, Math.floor(MOST_CELLS / BLOCK ** 2));
  const changed = await changedByBlock(evaluator, node, info, names);
  const changeIn = ({ row, col }: Window) => changed.get(`${row / BLOCK} ${col / BLOCK}`) ?? 0;
  const half = Math.ceil(most / 2);
  const even = Array.from(
    { length: half },
    (_, k) => windows[Math.floor(((k + 0.5) * windows.length) / half)]!,
  );
  const changedMost = windows
    .filter((window) => !even.includes(window) && changeIn(window) > 0)
    .sort((a, b) => changeIn(b) - changeIn(a))
    .slice(0, most - half);
  return [...even, ...changedMost];
}

/** A whole image as one sample, put together from its blocks. */
async function wholeSample(
  evaluator: Evaluator,
  { node, names }: FirstMapAsk,
  { grid }: ImageInfo,
): Promise<Sample> {
  const whole = fullWindow(grid);
  const bands = names.map(() => new Float32Array(grid.width * grid.height));
  for (const window of blockWindows(grid)) {
    const block = await evaluator.read(node, 0, window);
    bands.forEach((band, k) => copyWindow(block.bands[k]!, window, band, whole));
  }
  return sampleOf(names, bands, grid.width, grid.height);
}

async function samplesOf(
  evaluator: Evaluator,
  ask: FirstMapAsk,
  info: ImageInfo,
): Promise<Sample[]> {
  const samples: Sample[] = [];
  for (const window of await picked(evaluator, ask, info)) {
    const { bands } = await evaluator.read(ask.node, 0, window);
    samples.push(sampleOf(ask.names, bands.map(realCells), window.width, window.height));
  }
  return samples;
}

/** Median of both dates, decibels. */
function middleOf(samples: readonly Sample[]): number {
  const histogram = emptyHistogram(-60, 100, 1600);
  for (const { before, after } of samples) {
    addToHistogram(histogram, before);
    addToHistogram(histogram, after);
  }
  return quantile(histogram, 0.5);
}

/**
 * The first map of a pair of radar dates, from all of its cells or, of a large pair, from blocks
 * that stand for it.
 */
export async function firstMapOf(evaluator: Evaluator, ask: FirstMapAsk): Promise<FirstMap> {
  const info = await evaluator.info(ask.node);
  const { width, height } = info.grid;
  const isWhole = width * height <= MOST_CELLS;
  const samples = isWhole
    ? [await wholeSample(evaluator, ask, info)]
    : await samplesOf(evaluator, ask, info);
  const cellM2 = cellAreas(info.grid).cell(Math.floor(width / 2), Math.floor(height / 2));
  const middle = middleOf(samples);
  const levels = levelsOf(ask.polarisation ?? undefined);
  const isPhysical = middle > LOWEST_MIDDLE && middle < HIGHEST_MIDDLE;
  return firstWaterMap(samples, {
    levels: isPhysical ? levels : relativeLevels(middle),
    isPhysical,
    leastCells: ask.leastCells,
    cellM: Math.sqrt(cellM2),
    isWhole,
    otherIds: ask.otherIds,
  });
}

/** Cells of the smallest patch where a comparison has no limit of its own. */
const USUAL_LEAST = 12;

/**
 * What the first map of a pair is asked with. @param otherIds earlier dates, by the scenes of
 * `inputs.others` @throws InputError where the pair cannot be compared
 */
export function firstMapAsk(
  inputs: ChangeInputs,
  setup: ChangeSetup,
  otherIds: readonly string[] = [],
): FirstMapAsk {
  return {
    ...sampleNodes(inputs, setup, otherIds),
    polarisation: inputs.before.info.bands[setup.band]?.polarisation ?? null,
    leastCells: setup.limits.minPatchCells ?? USUAL_LEAST,
  };
}

/** Decibels between which the middle of a scene lies that is calibrated. */
const LOWEST_MIDDLE = -32;
const HIGHEST_MIDDLE = 3;

import type { Evaluator } from "../../graph/evaluator";
import type { ImageInfo } from "../../graph/image";
import { overviewLevel } from "../../graph/overview";
import { cellAreas } from "../../grid/area";
import { BLOCK, type Window, blockWindows, fullWindow, levelGrid } from "../../grid/grid";
import { copyWindow, realCells } from "../../raster/block";
import type { Sample } from "./bodies";
import { type FirstMap, firstWaterMap } from "./firstMap";
import { levelsOf, relativeLevels } from "./levels";
import { firstBurnMap } from "./burn";
import { type IndexWords, firstGainLossMap, firstOpenWaterMap } from "./indices";
import type { Looked } from "./words";
import { type FirstMapKind, firstMapKind } from "./kind";
import {
  type SampleNodes,
  burnNodes,
  burnSampleOf,
  indexNodes,
  indexSampleOf,
  sampleOf,
  waterNodes,
} from "./nodes";
import { InputError } from "../../errors";
import { measureOf } from "../measures/all";
import type { ChangeInputs, ChangeSetup } from "../setup";
import { quantile, addToHistogram, emptyHistogram } from "../../raster/histogram";

/** Cells of a pair that are looked at, at the most. */
const MOST_CELLS = 3e6;
/** Decibels, or loss of an index, beyond which a cell of the overview changed. */
const CHANGED: Record<FirstMapKind, number> = {
  water: 3,
  burn: 0.15,
  openWater: 0.2,
  gainLoss: 0.2,
};

/** What a first map is asked with, by what it is of. */
export type FirstMapAsk = SampleNodes & { leastCells: number } & (
    | { kind: "water"; polarisation: string | null; otherIds: string[] }
    | { kind: "burn" }
    | { kind: "openWater" }
    | ({ kind: "gainLoss" } & IndexWords)
  );

const difference = (before: Float32Array, after: Float32Array): Float32Array =>
  after.map((value, i) => value - before[i]!);

/** How much of each block of an image changed, by its overview. */
async function changedByBlock(
  evaluator: Evaluator,
  { node, names, kind }: FirstMapAsk,
  info: ImageInfo,
): Promise<Map<string, number>> {
  const level = overviewLevel(info);
  const grid = levelGrid(info.grid, level);
  const out = new Map<string, number>();
  for (const window of blockWindows(grid)) {
    const { bands } = await evaluator.read(node, level, window);
    const band = (name: string) => realCells(bands[names.indexOf(name)]!);
    const change = kind === "water" ? difference(band("before"), band("after")) : band("measure");
    for (let i = 0; i < change.length; i++) {
      if (Math.abs(change[i]!) > CHANGED[kind]) {
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
async function picked(evaluator: Evaluator, ask: FirstMapAsk, info: ImageInfo): Promise<Window[]> {
  const windows = [...blockWindows(info.grid)];
  const most = Math.max(2, Math.floor(MOST_CELLS / BLOCK ** 2));
  const changed = await changedByBlock(evaluator, ask, info);
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

/** Bands of a window of an image. */
interface Part {
  bands: Float32Array[];
  width: number;
  height: number;
}

/** A whole image in one part, put together from its blocks. */
async function wholePart(
  evaluator: Evaluator,
  { node, names }: FirstMapAsk,
  { grid }: ImageInfo,
): Promise<Part> {
  const { width, height } = grid;
  const bands = names.map(() => new Float32Array(width * height));
  for (const window of blockWindows(grid)) {
    const block = await evaluator.read(node, 0, window);
    bands.forEach((band, k) => copyWindow(block.bands[k]!, window, band, fullWindow(grid)));
  }
  return { bands, width, height };
}

async function someParts(evaluator: Evaluator, ask: FirstMapAsk, info: ImageInfo): Promise<Part[]> {
  const parts: Part[] = [];
  for (const window of await picked(evaluator, ask, info)) {
    const { bands } = await evaluator.read(ask.node, 0, window);
    const { width, height } = window;
    parts.push({ bands: bands.map(realCells), width, height });
  }
  return parts;
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
 * The first map of a pair, from all of its cells or, of a large pair, from blocks that stand for
 * it.
 */
export async function firstMapOf(evaluator: Evaluator, ask: FirstMapAsk): Promise<FirstMap> {
  const info = await evaluator.info(ask.node);
  const { width, height } = info.grid;
  const isWhole = width * height <= MOST_CELLS;
  const parts = isWhole
    ? [await wholePart(evaluator, ask, info)]
    : await someParts(evaluator, ask, info);
  const cellM2 = cellAreas(info.grid).cell(Math.floor(width / 2), Math.floor(height / 2));
  const looking = { leastCells: ask.leastCells, cellM: Math.sqrt(cellM2), isWhole };
  const samples = <Sample>(
    of: (names: readonly string[], bands: Float32Array[], width: number, height: number) => Sample,
  ) => parts.map((part) => of(ask.names, part.bands, part.width, part.height));
  switch (ask.kind) {
    case "water":
      return waterMapOf(ask, samples(sampleOf), looking);
    case "burn":
      return firstBurnMap(samples(burnSampleOf), looking);
    case "openWater":
      return firstOpenWaterMap(samples(indexSampleOf), looking);
    case "gainLoss":
      return firstGainLossMap(samples(indexSampleOf), ask, looking);
  }
}

function waterMapOf(
  { polarisation, otherIds }: Extract<FirstMapAsk, { kind: "water" }>,
  samples: readonly Sample[],
  looking: Looked,
): FirstMap {
  const middle = middleOf(samples);
  const isPhysical = middle > LOWEST_MIDDLE && middle < HIGHEST_MIDDLE;
  const levels = isPhysical ? levelsOf(polarisation ?? undefined) : relativeLevels(middle);
  return firstWaterMap(samples, { ...looking, levels, isPhysical, otherIds });
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
  const leastCells = setup.limits.minPatchCells ?? USUAL_LEAST;
  const band = inputs.before.info.bands[setup.band];
  const kind = band ? firstMapKind(band, setup.measure) : null;
  switch (kind) {
    case "water":
      return {
        kind,
        ...waterNodes(inputs, setup, otherIds),
        polarisation: band!.polarisation ?? null,
        leastCells,
      };
    case "burn":
      return { kind, ...burnNodes(inputs, setup), leastCells };
    case "openWater":
      return { kind, ...indexNodes(inputs, setup), leastCells };
    case "gainLoss":
      return {
        kind,
        ...indexNodes(inputs, setup),
        isIndex: band!.role === "value",
        lossUp: measureOf(setup.measure).lossUp ?? false,
        leastCells,
      };
    case null:
      throw new InputError(
        "No first map is made of this band and measure",
        "setup.measure",
        "It is made of radar power by its log ratio, and of indices and reflectance by what they lost.",
      );
  }
}

/** Decibels between which the middle of a scene lies that is calibrated. */
const LOWEST_MIDDLE = -32;
const HIGHEST_MIDDLE = 3;

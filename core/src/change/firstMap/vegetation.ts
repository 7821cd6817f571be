import { nearby } from "../../raster/nearby";
import { addToHistogram, emptyHistogram, histogramTotal, quantile } from "../../raster/histogram";
import { around } from "./around";
import { type Body, type Sample, bodiesOf } from "./bodies";
import type { Looking, Signs } from "./signs";

/** Flooded plants: what they must show, and where they were found. */
export interface Vegetation {
  /** Change of the means around a cell, over which ground is brighter than unchanged ground. */
  change: number;
  /** The same beyond the change of the other polarisation; null where there is none. */
  apart: number | null;
  bodies: Body[];
}

/** Metres from new water within which plants can stand in it. */
export const BESIDE_M = 500;
/** Least brightening in decibels, in the band and beyond the other polarisation. */
const LEAST_CHANGE = 2;
const LEAST_APART = 1.3;
/** Where plants stand in water all over a scene, no threshold goes beyond these. */
const MOST_CHANGE = 3.5;
const MOST_APART = 2.6;
/** Share of unchanged land elsewhere that a threshold may take, and decibels beyond it. */
const OUTERMOST = 0.9;
const ROOM = 0.4;
/** Cells of land elsewhere that tell how far unchanged land spreads. */
const LEAST_LAND = 2000;
/** Degrees up to which ground is low and flat. */
const FLAT_DEG = 3;
/** Means around a cell are of so many cells squared; a body of them holds so many at least. */
const MEAN_CELLS = 3;
const LEAST_CELLS = 25;

/** How many cells away another thing may lie. */
export const besideCells = (cellM: number): number =>
  Math.max(1, Math.min(256, Math.round(BESIDE_M / cellM)));

/** Means of three by three cells around each. */
function meansOf(src: Float32Array, width: number, height: number): Float32Array {
  const padded = new Float32Array((width + 2) * (height + 2)).fill(NaN);
  for (let r = 0; r < height; r++) {
    padded.set(src.subarray(r * width, (r + 1) * width), (r + 1) * (width + 2) + 1);
  }
  const out = new Float32Array(width * height);
  nearby(padded, width, height, MEAN_CELLS, 0, "lowest", out);
  return out;
}

interface Looked {
  sample: Sample;
  change: Float32Array;
  apart: Float32Array | null;
  isNear: Uint8Array;
  isLand: (i: number) => boolean;
}

function look(sample: Sample, near: readonly Body[], { levels, cellM }: Looking): Looked {
  const { before, after, crossBefore, crossAfter, slope, width, height } = sample;
  const change = after.map((value, i) => value - before[i]!);
  const apart =
    crossBefore && crossAfter
      ? change.map((value, i) => value - (crossAfter[i]! - crossBefore[i]!))
      : null;
  return {
    sample,
    change: meansOf(change, width, height),
    apart: apart && meansOf(apart, width, height),
    isNear: around(
      near.map((body) => body.at),
      sample,
      besideCells(cellM),
    ),
    isLand: (i) =>
      before[i]! > levels.dark && after[i]! > levels.dark && !(slope && slope[i]! > FLAT_DEG),
  };
}

/** Over what land spreads where no water came. */
function threshold(
  looked: readonly Looked[],
  of: "change" | "apart",
  least: number,
  most: number,
): number {
  const count = (isElsewhere: boolean) => {
    const histogram = emptyHistogram(-15, 15, 600);
    for (const one of looked) {
      const layer = one[of];
      if (layer) {
        addToHistogram(
          histogram,
          layer.map((value, i) => (one.isLand(i) && !(isElsewhere && one.isNear[i]) ? value : NaN)),
        );
      }
    }
    return histogram;
  };
  const elsewhere = count(true);
  const spread =
    histogramTotal(elsewhere) >= LEAST_LAND
      ? quantile(elsewhere, OUTERMOST)
      : quantile(count(false), 0.5);
  return Math.max(least, Math.min(most, (Number.isFinite(spread) ? spread : 0) + ROOM));
}

/**
 * Looks for plants that stand in water: brighter after, beside new water, on low flat ground, and
 * where two polarisations are there more so in the band than in the other, since stems and water
 * send the beam straight back without turning it. Wet soil brightens both. Null where no water is
 * new.
 */
export function vegetationOf(
  samples: readonly Sample[],
  newWater: readonly Body[],
  signs: Signs,
  looking: Looking,
): Vegetation | null {
  if (newWater.length === 0) {
    return null;
  }
  const looked = samples.map((sample, k) =>
    look(
      sample,
      newWater.filter((body) => body.sample === k),
      looking,
    ),
  );
  const hasApart = signs.cross !== null && looked.every(({ apart }) => apart);
  const apart = hasApart ? threshold(looked, "apart", LEAST_APART, MOST_APART) : null;
  const change = hasApart ? LEAST_CHANGE : threshold(looked, "change", LEAST_CHANGE, MOST_CHANGE);
  const bodies = looked.flatMap((one, k) => {
    const marked = one.isNear.map((isNear, i) =>
      isNear &&
      one.isLand(i) &&
      one.change[i]! > change &&
      (apart === null || one.apart![i]! > apart)
        ? 1
        : 0,
    );
    return bodiesOf(one.sample, k, marked, { ...looking, leastCells: LEAST_CELLS });
  });
  return { change, apart, bodies };
}

import { WATER_LABELS } from "@hindglance/core/change/firstMap/rules";
import { bodyCells, waterBodies } from "@hindglance/core/flood/bodies";
import { SHORE_REACH, shorePoints } from "@hindglance/core/flood/shore";
import { levelAt, waterSurfaces } from "@hindglance/core/flood/surface";
import { type Grid, grow } from "@hindglance/core/grid/grid";
import { runsOf } from "@hindglance/core/patches/runs";
import { copyWindow } from "@hindglance/core/raster/block";
import { round } from "./scored";

/** How depths of a map agree with what is true, metres and km³·10⁻³ (millions of cubic metres). */
export interface DepthScore {
  cells: number;
  medianError: number;
  p90Error: number;
  /** Median of found less true. */
  bias: number;
  volume: number;
  trueVolume: number;
  /** Cells whose depth is not known. */
  unknown: number;
}

/** Classes of ground that came under water, by whose shores its level is told. */
const FLOODED: ReadonlySet<number> = new Set([WATER_LABELS.newWater]);

/** Depth of every cell of a map under water; NaN on dry ground and where it is not known. */
export function wholeDepth(
  labels: Uint8Array,
  elevation: Float32Array,
  wet: ReadonlySet<number>,
  grid: Grid,
): Float32Array {
  const { width, height } = grid;
  const cellM = grid.transform[1];
  const bodies = waterBodies(runsOf(labels, width, height), wet);
  const window = { col: 0, row: 0, width, height };
  const wide = grow(window, SHORE_REACH);
  const heights = new Float32Array(wide.width * wide.height).fill(NaN);
  copyWindow(elevation, window, heights, wide);
  const flooded = new Uint8Array(heights.length);
  copyWindow(
    labels.map((label) => (FLOODED.has(label) ? 1 : 0)),
    window,
    flooded,
    wide,
  );
  const shore = { window, cells: bodyCells(bodies, wide), flooded, elevation: heights };
  const surfaces = waterSurfaces(shorePoints(shore, bodies, cellM), cellM);
  const byBody = new Map(surfaces.map((surface) => [surface.body, surface]));
  const { part, wet: isWet } = bodyCells(bodies, window);
  return Float32Array.from(elevation, (ground, i) => {
    const surface = isWet[i] === 1 ? byBody.get(part[i]!) : undefined;
    if (!surface) {
      return NaN;
    }
    const { level } = levelAt(surface, (i % width) + 0.5, Math.floor(i / width) + 0.5);
    return Math.max(0, level - ground);
  });
}

/**
 * Scores depths where the map and the truth both have new water.
 * @param level the true height of the water by cell @param counts whether a cell does
 */
export function scoreDepth(
  depth: Float32Array,
  elevation: Float32Array,
  level: (i: number) => number,
  counts: (i: number) => boolean,
  cellM2: number,
): DepthScore {
  const errors: number[] = [];
  let [volume, trueVolume, unknown] = [0, 0, 0];
  depth.forEach((found, i) => {
    if (!counts(i)) {
      return;
    }
    const true_ = Math.max(0, level(i) - elevation[i]!);
    trueVolume += (true_ * cellM2) / 1e6;
    if (Number.isNaN(found)) {
      unknown++;
    } else {
      errors.push(found - true_);
      volume += (found * cellM2) / 1e6;
    }
  });
  const sorted = errors.map(Math.abs).sort((a, b) => a - b);
  const signed = [...errors].sort((a, b) => a - b);
  const at = (values: readonly number[], share: number) =>
    round(values[Math.floor(share * values.length)] ?? NaN);
  return {
    cells: errors.length,
    medianError: at(sorted, 0.5),
    p90Error: at(sorted, 0.9),
    bias: at(signed, 0.5),
    volume: round(volume),
    trueVolume: round(trueVolume),
    unknown,
  };
}

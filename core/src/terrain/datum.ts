import { LONLAT, transformer } from "../geodesy/crs";
import { seaLevelAboveEllipsoid } from "../geodesy/geoid";
import type { VerticalDatum } from "../graph/image";
import { type Grid, toMap } from "../grid/grid";

/** Cells are flat water where the nine around them differ by less, metres. */
const FLAT_M = 0.1;
/** Flat cells within so many metres of the lowest are one water. */
const ONE_WATER_M = 3;
/** Share of the known cells that must be that water, and the share that no lake has. */
const LEAST_SHARE = 0.02;
const SEA_SHARE = 0.1;
/** Metres by which the sea may lie off. */
const OFF_M = 5;
/** Farthest that the sea lies from the ellipsoid anywhere: flat water beyond it is a lake. */
const GEOID_M = 110;

/** Flat water of an elevation, as far as its edge. */
interface Water {
  /** Middle of its heights, and of its heights over where the sea lies above the ellipsoid. */
  height: number;
  overSea: number;
  /** Share of the known cells. */
  share: number;
}

const middle = (values: readonly number[]): number =>
  [...values].sort((first, second) => first - second)[values.length >> 1]!;

function isFlat(z: Float32Array, width: number, i: number): boolean {
  let low = Infinity;
  let high = -Infinity;
  for (let j = -width; j <= width; j += width) {
    for (let k = -1; k <= 1; k++) {
      const height = z[i + j + k]!;
      if (height !== height) {
        return false;
      }
      low = Math.min(low, height);
      high = Math.max(high, height);
    }
  }
  return high - low <= FLAT_M;
}

/** The lowest flat water, where it reaches the edge of the elevation; null where there is none. */
function lowestWater(z: Float32Array, grid: Grid): Water | null {
  const { width, height } = grid;
  const flat: number[] = [];
  let known = 0;
  let lowest = Infinity;
  for (let r = 1; r < height - 1; r++) {
    for (let c = 1; c < width - 1; c++) {
      const i = r * width + c;
      known += z[i] === z[i] ? 1 : 0;
      if (isFlat(z, width, i)) {
        flat.push(i);
        lowest = Math.min(lowest, z[i]!);
      }
    }
  }
  const water = flat.filter((i) => z[i]! <= lowest + ONE_WATER_M);
  const isAtEdge = water.some((i) => {
    const col = i % width;
    const row = Math.floor(i / width);
    return col <= 2 || row <= 2 || col >= width - 3 || row >= height - 3;
  });
  if (!isAtEdge || water.length < LEAST_SHARE * known) {
    return null;
  }
  const toLonLat = transformer(grid.crs, LONLAT);
  const overSea = water.map((i) => {
    const place = toMap(grid, (i % width) + 0.5, Math.floor(i / width) + 0.5);
    return z[i]! - seaLevelAboveEllipsoid(...toLonLat(...place));
  });
  return {
    height: middle(water.map((i) => z[i]!)),
    overSea: middle(overSea),
    share: water.length / known,
  };
}

const metres = (value: number): string => `${value.toFixed(0).replace("-", "−")} m`;

/**
 * Why heights may be counted from something else than is said: the open sea lies more than five
 * metres from where it must; null where nothing speaks against it, or no sea is in sight.
 * @param z cells of an overview of the elevation, metres, NaN where there is none
 * @param vertical what heights are said to be counted from; null: not known, taken as the ellipsoid
 * @throws InputError where no geoid was named
 */
export function datumDoubt(
  z: Float32Array,
  grid: Grid,
  vertical: VerticalDatum | null,
): string | null {
  const water = lowestWater(z, grid);
  if (!water || Math.abs(water.height) > GEOID_M) {
    return null;
  }
  const { height, overSea, share } = water;
  const isAboveSea = vertical === "egm96" || vertical === "egm2008";
  const off = isAboveSea ? height : overSea;
  if (Math.abs(off) <= OFF_M) {
    return null;
  }
  const seaAt = height - overSea;
  const seen = `The lowest flat water of the elevation lies at ${metres(height)}`;
  if (isAboveSea && Math.abs(overSea) <= OFF_M) {
    return `${seen}, where the sea is above the ellipsoid: its heights look like heights above the ellipsoid, not above sea level. Say which in Scenes.`;
  }
  if (!isAboveSea && Math.abs(height) <= 1) {
    return `${seen}, and the sea lies ${metres(seaAt)} above the ellipsoid here: its heights look like heights above sea level. Say which in Scenes.`;
  }
  return share >= SEA_SHARE
    ? `${seen}, ${metres(Math.abs(off))} from where the sea would lie: if that is the sea, all heights are off by as much.`
    : null;
}

import type { Grid, Window } from "../grid/grid";
import { hiddenGround } from "./hidden";
import { LookNodes } from "./lookNodes";
import type { RangeDoppler } from "./sensor";
import type { LookGeometry } from "./terrain";

/** Heights of a window with a halo around it, metres. */
export interface HeightsAround {
  cells: Float32Array;
  halo: number;
  /** Cells within which ground hides other ground, at least two less than the halo. */
  reach: number;
}

const degrees = (radians: number): number => (radians * 180) / Math.PI;

/**
 * Local incidence in degrees and bits of layover and shadow over a window of the map; nodata where
 * the image is. Without heights the ground is level and nothing is hidden. A cell does not hang on
 * the window it was computed in.
 * @param image cells of the image in the window
 * @param angle takes the incidence @param hidden takes the bits
 */
export function localIncidence(
  rd: RangeDoppler,
  grid: Grid,
  w: Window,
  heights: HeightsAround | null,
  image: Float32Array,
  angle: Float32Array,
  hidden: Float32Array,
): void {
  angle.fill(NaN);
  hidden.fill(NaN);
  const looks = new LookNodes(rd, grid);
  const ground = heights && groundOver(rd, grid, w, heights);
  for (let row = 0, i = 0; row < w.height; row++) {
    for (let column = 0; column < w.width; column++, i++) {
      const look = image[i] === image[i] ? looks.at(w.col + column, w.row + row) : null;
      if (look) {
        angle[i] = degrees(ground ? ground.incidence(column, row, look) : look.incidence);
        hidden[i] = ground ? ground.bits(column, row) : 0;
      }
    }
  }
}

/** What heights make of a window: the angle of the beam on the facet of a cell, and what is hidden. */
function groundOver(
  rd: RangeDoppler,
  grid: Grid,
  w: Window,
  { cells: z, halo, reach }: HeightsAround,
) {
  const width = w.width + 2 * halo;
  const around = { col: w.col - halo, row: w.row - halo, width, height: w.height + 2 * halo };
  const bits = hiddenGround(rd, grid, around, z, reach);
  const placeOf = (column: number, row: number) => (row + halo) * width + column + halo;
  return {
    bits: (column: number, row: number): number => bits[placeOf(column, row)]!,
    incidence(column: number, row: number, look: LookGeometry): number {
      const k = placeOf(column, row);
      const acrossRise = riseOf(z, k, 1);
      const downRise = riseOf(z, k, width);
      const [cx, cy] = look.cellM;
      // Area seen along the beam over the surface of the facet is the cosine of the local
      // incidence.
      const seen = look.flat + acrossRise * look.perColumnRise + downRise * look.perRowRise;
      const surface = cx * cy * Math.sqrt(1 + (acrossRise / cx) ** 2 + (downRise / cy) ** 2);
      return Math.acos(Math.max(-1, Math.min(1, seen / surface)));
    },
  };
}

/** Rise per cell by central difference; one-sided beside nodata, level where there is nothing. */
function riseOf(z: Float32Array, k: number, step: number): number {
  const before = z[k - step]!;
  const here = z[k]!;
  const after = z[k + step]!;
  if (before === before && after === after) {
    return (after - before) / 2;
  }
  if (after === after && here === here) {
    return after - here;
  }
  if (before === before && here === here) {
    return here - before;
  }
  return 0;
}

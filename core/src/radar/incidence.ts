import type { Grid, Window } from "../grid/grid";
import { hiddenCells } from "./hidden";
import type { RangeDoppler } from "./sensor";
import { type LookGeometry, lookGeometry } from "./terrain";

/** Heights of a window with a halo around it, metres. */
export interface HeightsAround {
  cells: Float32Array;
  halo: number;
}

/** The look at a place of a window, between the looks at its four corners. */
type LookAt = (column: number, row: number, part: (look: LookGeometry) => number) => number;

function looksOver(rd: RangeDoppler, grid: Grid, w: Window, middle: LookGeometry): LookAt {
  const corner = (column: number, row: number): LookGeometry =>
    lookGeometry(rd, grid, w.col + column, w.row + row, 0) ?? middle;
  const corners = [
    corner(0, 0),
    corner(w.width, 0),
    corner(0, w.height),
    corner(w.width, w.height),
  ];
  return (column, row, part) => {
    const x = column / w.width;
    const y = row / w.height;
    return (
      (part(corners[0]!) * (1 - x) + part(corners[1]!) * x) * (1 - y) +
      (part(corners[2]!) * (1 - x) + part(corners[3]!) * x) * y
    );
  };
}

const degrees = (radians: number): number => (radians * 180) / Math.PI;

/**
 * Local incidence in degrees and bits of layover and shadow over a window of the map; nodata where
 * the image is. Without heights the ground is level and nothing is hidden.
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
  const middle = lookGeometry(rd, grid, w.col + w.width / 2, w.row + w.height / 2, 0);
  if (!middle) {
    return;
  }
  const at = looksOver(rd, grid, w, middle);
  if (heights) {
    overHeights(w, heights, middle, at, image, angle, hidden);
    return;
  }
  for (let i = 0; i < image.length; i++) {
    if (image[i] === image[i]) {
      angle[i] = degrees(at(i % w.width, Math.floor(i / w.width), (look) => look.incidence));
      hidden[i] = 0;
    }
  }
}

function overHeights(
  w: Window,
  { cells: z, halo }: HeightsAround,
  middle: LookGeometry,
  at: LookAt,
  image: Float32Array,
  angle: Float32Array,
  hidden: Float32Array,
): void {
  const width = w.width + 2 * halo;
  const bits = new Uint8Array(z.length);
  hiddenCells(z, width, w.height + 2 * halo, middle.away, middle.incidence, bits);
  const [cx, cy] = middle.cellM;
  for (let row = 0, i = 0; row < w.height; row++) {
    for (let column = 0; column < w.width; column++, i++) {
      if (image[i] !== image[i]) {
        continue;
      }
      const k = (row + halo) * width + column + halo;
      const acrossRise = riseOf(z, k, 1);
      const downRise = riseOf(z, k, width);
      // Area seen along the beam over the surface of the facet is the cosine of the local
      // incidence.
      const seen =
        at(column, row, (look) => look.flat) +
        acrossRise * at(column, row, (look) => look.perColumnRise) +
        downRise * at(column, row, (look) => look.perRowRise);
      const surface = cx * cy * Math.sqrt(1 + (acrossRise / cx) ** 2 + (downRise / cy) ** 2);
      angle[i] = degrees(Math.acos(Math.max(-1, Math.min(1, seen / surface))));
      hidden[i] = bits[k]!;
    }
  }
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

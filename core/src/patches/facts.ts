import { isGeographic } from "../geodesy/crs";
import { radiiOfCurvature } from "../geodesy/ellipsoid";
import type { CellAreas } from "../grid/area";
import { type Grid, cellSize, toMap } from "../grid/grid";
import { CLASS_NODATA } from "../raster/block";
import type { Labelling } from "./label";
import type { PatchShape } from "./polygonise";
import { type Runs, endOfRun, runEnd } from "./runs";

const isClass = (value: number): boolean => value !== 0 && value !== CLASS_NODATA;

/**
 * Sums of layers over the class runs of rows, in the order in which the runs come: by run and layer
 * the sum and the number of cells that have a value.
 */
export class RunSums {
  private readonly sums: number[] = [];
  /**
   * @param labels one row; @param values one row a layer, NaN = nodata; @param numbers of patches that
   * somebody gave an outline, where the runs of the map differ by them
   */
  addRow(labels: Uint8Array, values: readonly Float32Array[], numbers?: Uint32Array): void {
    for (let c = 0; c < labels.length;) {
      const label = labels[c]!;
      const from = c;
      c = endOfRun(labels, c, numbers);
      if (!isClass(label)) {
        continue;
      }
      for (const layer of values) {
        let s = 0;
        let n = 0;
        for (let i = from; i < c; i++) {
          const x = layer[i]!;
          if (x === x) {
            s += x;
            n++;
          }
        }
        this.sums.push(s, n);
      }
    }
  }
  finish(): Float64Array {
    return Float64Array.from(this.sums);
  }
}

/**
 * Means of layers by patch, in the order in which polygonise gives them.
 * @param sums those of all class runs of the image, from the top; @param labelling with the
 * neighbours that the patches have
 * @returns by patch and layer; NaN where no cell of the patch has a value
 */
export function patchMeans(
  runs: Runs,
  labelling: Labelling,
  sums: Float64Array,
  layers: number,
): Float64Array {
  const index = new Map<number, number>();
  const total: number[] = [];
  let at = 0;
  for (let i = 0; i < runs.starts.length; i++) {
    if (!isClass(runs.labels[i]!)) {
      continue;
    }
    const id = labelling.patchOfRun[i]!;
    let k = index.get(id);
    if (k === undefined) {
      k = index.size;
      index.set(id, k);
      for (let j = 0; j < 2 * layers; j++) {
        total.push(0);
      }
    }
    for (let j = 0; j < 2 * layers; j++) {
      total[k * 2 * layers + j]! += sums[at++]!;
    }
  }
  if (at !== sums.length) {
    throw new RangeError(
      `Sums of ${sums.length / (2 * layers)} runs do not fit a map of ${at / (2 * layers)}`,
    );
  }
  return Float64Array.from({ length: index.size * layers }, (_v, k) =>
    total[2 * k + 1]! > 0 ? total[2 * k]! / total[2 * k + 1]! : NaN,
  );
}

/** Part of a patch that lies in a zone: its cells and their area. */
export interface ZonePart {
  zone: number;
  cells: number;
  areaM2: number;
}

/**
 * Parts of patches by zone, in the order in which polygonise gives the patches; zones ascend.
 * @param zoneRow zone of each cell of a row, 0 = in none; null where all cells of the row are in none
 * @param areas of the grid of the map
 */
export function patchZones(
  { runs, labelling }: { runs: Runs; labelling: Labelling },
  zoneRow: (row: number) => Uint16Array | null,
  areas: CellAreas,
): ZonePart[][] {
  const { rows, starts, labels, height } = runs;
  const parts = new Map<number, Map<number, ZonePart>>();
  for (let r = 0; r < height; r++) {
    const from = rows[r]!;
    const to = rows[r + 1]!;
    let zones: Uint16Array | null | undefined;
    for (let i = from; i < to; i++) {
      if (!isClass(labels[i]!)) {
        continue;
      }
      if (zones === undefined) {
        zones = zoneRow(r);
      }
      const id = labelling.patchOfRun[i]!;
      let own = parts.get(id);
      if (!own) {
        own = new Map();
        parts.set(id, own);
      }
      addRun(own, zones, { row: r, from: starts[i]!, to: runEnd(runs, i, r) }, areas);
    }
  }
  return [...parts.values()].map((own) => [...own.values()].sort((a, b) => a.zone - b.zone));
}

/** Adds a run of a patch to its parts, zone by zone. */
function addRun(
  parts: Map<number, ZonePart>,
  zones: Uint16Array | null,
  { row, from, to }: { row: number; from: number; to: number },
  areas: CellAreas,
): void {
  for (let c = from; c < to;) {
    const zone = zones ? zones[c]! : 0;
    const begun = c;
    do {
      c++;
    } while (c < to && (zones === null || zones[c] === zone));
    let part = parts.get(zone);
    if (!part) {
      part = { zone, cells: 0, areaM2: 0 };
      parts.set(zone, part);
    }
    part.cells += c - begun;
    part.areaM2 += areas.run(row, begun, c);
  }
}

/**
 * Length of a patch's outline, holes included, in metres on the ellipsoid (by the
 * scale of the patch's own area on a projected grid, by its own latitude
 * on one in degrees). Along cells it is longer than the shore it stands for: about 4/π times as
 * long on the average.
 */
export function perimeterM(shape: PatchShape, grid: Grid): number {
  const [x, y] = cellSize(grid);
  if (isGeographic(grid.crs)) {
    const [c, r] = shape.polygons[0]![0]![0]!;
    const lat = toMap(grid, c, r)[1];
    const k = radiiOfCurvature(lat);
    const deg = Math.PI / 180;
    const across = x * deg * k.primeVertical * Math.cos(lat * deg);
    return lengthOf(shape, across, y * deg * k.meridian);
  }
  const scale = shape.areaM2 > 0 ? Math.sqrt(shape.areaM2 / (shape.cells * x * y)) : 1;
  return lengthOf(shape, scale * x, scale * y);
}

/** Length of an outline. @param across length of a cell along its row; @param down and along its column */
function lengthOf({ polygons }: PatchShape, across: number, down: number): number {
  let length = 0;
  for (const ring of polygons.flat()) {
    for (let i = 1; i < ring.length; i++) {
      const [from, to] = [ring[i - 1]!, ring[i]!];
      length += Math.hypot((to[0] - from[0]) * across, (to[1] - from[1]) * down);
    }
  }
  return length;
}

import { assignGroups } from "@hindglance/core/classify/kmeans";
import { logRatios } from "@hindglance/core/change/measures/logRatio";
import { applyRules, type ClassRule } from "@hindglance/core/change/rules";
import { cellAreas } from "@hindglance/core/grid/area";
import { BLOCK, fullWindow, levelCount, levelGrid, northUp } from "@hindglance/core/grid/grid";
import { labelRuns } from "@hindglance/core/patches/label";
import { polygonise } from "@hindglance/core/patches/polygonise";
import { runsOf } from "@hindglance/core/patches/runs";
import { sieve } from "@hindglance/core/patches/sieve";
import { toDecibel } from "@hindglance/core/radar/decibel";
import { calibrate } from "@hindglance/core/radar/calibrate";
import { lee } from "@hindglance/core/radar/lee";
import { refinedLee } from "@hindglance/core/radar/refinedLee";

import { SMALL_CHANGES_HALO, smallChanges } from "@hindglance/core/radar/smallChanges";
import { median } from "@hindglance/core/radar/speckle";
import { correctTerrain } from "@hindglance/core/radar/terrain";
import { halveMean } from "@hindglance/core/raster/pyramid";
import { Tally } from "@hindglance/core/tally/tally";
import { utm } from "@hindglance/core/geodesy/crs";
import { MemoryFile } from "@hindglance/formats/memoryFile";
import { writeCog } from "@hindglance/formats/tiff/writeCog";
import { worldGrid } from "@hindglance/world/ground";
import { PASSES, trueGeometry } from "@hindglance/world/mission";
import { blobs, power, sharpSpecks } from "./fields";
import { sensorFrame } from "@hindglance/core/grid/frames";

/**
 * One row of the table: what is done, on how many cells, the rate asked for, and the work itself.
 */
export interface Row {
  name: string;
  cells: number;
  target: number | null;
  setUp(): () => void | Promise<void>;
}

const SIDE = 2048;
const CELLS = SIDE * SIDE;
/**
 * Cell and neighbourhood kernels are called on blocks of this side, as the evaluator calls them.
 */
const TILE = BLOCK;
const tiled = (work: () => void) => () => {
  for (let k = 0; k < CELLS / (TILE * TILE); k++) {
    work();
  }
};
const grid = northUp(utm(27, true), 600000, 5180000, 10, 10, SIDE, SIDE);
const rules: ClassRule[] = [
  {
    label: 1,
    name: "New water",
    color: "#c8246f",
    all: [
      { layer: "measure", op: "<", value: -4 },
      { layer: "after", op: "<", value: -17 },
    ],
  },
  {
    label: 2,
    name: "Standing water",
    color: "#33498c",
    all: [
      { layer: "before", op: "<", value: -17 },
      { layer: "after", op: "<", value: -17 },
    ],
  },
];

/** Rows in the order of the table in docs/methods.md. */
export const ROWS: Row[] = [
  {
    name: "k-means or ISODATA pass, 6 bands, 10 groups",
    cells: CELLS,
    target: 10,
    setUp: () => {
      const bands = Array.from({ length: 6 }, (_v, k) => power(TILE, k + 1));
      const shift = new Float64Array(6);
      const scale = new Float64Array(6).fill(1);
      const centres = Float64Array.from({ length: 60 }, (_v, k) => 0.02 + (k % 10) * 0.03);
      const out = new Uint8Array(TILE * TILE);
      return tiled(() => assignGroups(bands, shift, scale, centres, out));
    },
  },
  {
    name: "Lee 7x7",
    cells: CELLS,
    target: 25,
    setUp: () => {
      const a = power(TILE + 6, 1);
      const out = new Float32Array(TILE * TILE);
      return tiled(() => lee(a, TILE, TILE, 7, 4.4, out));
    },
  },
  {
    name: "refined Lee 7x7",
    cells: CELLS,
    target: 6,
    setUp: () => {
      const a = power(TILE + 6, 1);
      const out = new Float32Array(TILE * TILE);
      return tiled(() => refinedLee(a, TILE, TILE, 4.4, out));
    },
  },
  {
    name: "median 3x3",
    cells: CELLS,
    target: 15,
    setUp: () => {
      const a = power(TILE + 2, 1);
      const out = new Float32Array(TILE * TILE);
      return tiled(() => median(a, TILE, TILE, 3, out));
    },
  },
  {
    name: "median 7x7",
    cells: CELLS,
    target: 6,
    setUp: () => {
      const a = power(TILE + 6, 1);
      const out = new Float32Array(TILE * TILE);
      return tiled(() => median(a, TILE, TILE, 7, out));
    },
  },
  {
    name: "small changes, two polarisations",
    cells: CELLS,
    target: null,
    setUp: () => {
      const side = TILE + 2 * SMALL_CHANGES_HALO;
      const dates = [1, 2, 3, 4].map((seed) => power(side, seed));
      const out = new Float32Array(TILE * TILE);
      const ask = { perCell: 1e-5, looks: 4 };
      return tiled(() => smallChanges(dates.slice(0, 2), dates.slice(2), TILE, TILE, ask, out));
    },
  },
  {
    name: "calibrate with gain and noise vectors",
    cells: CELLS,
    target: 120,
    setUp: () => {
      const dn = power(TILE, 1).map((value) => Math.round(1000 * Math.sqrt(value)));
      const out = new Float32Array(TILE * TILE);
      const frame = {
        crs: sensorFrame("bench"),
        transform: [0, 1, 0, 0, 0, 1] as const,
        width: TILE,
        height: TILE,
      };
      const values = (k: number) =>
        [-300, 400, 1100].map((line) => ({
          line,
          pixels: [0, 200, 400, 600],
          values: [k, k * 1.1, k * 1.2, k * 1.3],
        }));
      const luts = {
        sigma: values(500),
        beta: values(400),
        gamma: values(600),
        noiseRange: values(900),
        noiseAzimuth: [
          {
            firstLine: 0,
            lastLine: TILE,
            firstSample: 0,
            lastSample: TILE,
            lines: [0, TILE],
            values: [1, 1.1],
          },
        ],
      };
      return tiled(() =>
        calibrate(
          dn,
          frame,
          { col: 0, row: 0, width: TILE, height: TILE },
          luts,
          "beta",
          true,
          out,
        ),
      );
    },
  },
  {
    name: "terrain correction, bilinear, fast lattice",
    cells: CELLS,
    target: 12,
    setUp: () => {
      const pass = PASSES[2]!;
      const rd = trueGeometry(pass);
      const w = { col: 512, row: 512, width: TILE, height: TILE };
      const heights = power(TILE, 3).map((value) => 200 + 100 * value);
      const image = {
        grid: {
          crs: sensorFrame("bench"),
          transform: [0, 1, 0, 0, 0, 1] as const,
          width: 2900,
          height: 2500,
        },
        window: { col: 400, row: 700, width: 900, height: 900 },
        bands: [power(900, 1)],
      };
      const out = [new Float32Array(TILE * TILE)];
      return tiled(() => correctTerrain(rd, worldGrid(), w, heights, image, 1, out));
    },
  },
  {
    name: "power to decibel",
    cells: CELLS,
    target: null,
    setUp: () => {
      const a = power(TILE, 1);
      const out = new Float32Array(TILE * TILE);
      return tiled(() => toDecibel(a, out));
    },
  },
  {
    name: "log ratio + two rule classes",
    cells: CELLS,
    target: 100,
    setUp: () => {
      const n = TILE * TILE;
      const before = power(TILE, 1);
      const after = power(TILE, 2);
      const measure = new Float32Array(n);
      const out = new Uint8Array(n);
      const b = new Float32Array(n);
      const a = new Float32Array(n);
      toDecibel(before, b);
      toDecibel(after, a);
      return tiled(() => {
        logRatios(before, after, measure);
        applyRules({ before: b, after: a, measure }, rules, ["before", "after"], out);
      });
    },
  },
  {
    name: "halve to an overview (mean)",
    cells: CELLS,
    target: null,
    setUp: () => {
      const a = power(SIDE, 1);
      const out = new Float32Array(CELLS / 4);
      return () => halveMean(a, SIDE, SIDE, out);
    },
  },
  {
    name: "labelling, 8 neighbours",
    cells: CELLS,
    target: 60,
    setUp: () => {
      const c = blobs(SIDE);
      return () => {
        labelRuns(runsOf(c, SIDE, SIDE), 8);
      };
    },
  },
  {
    name: "minimum patch, 25 cells",
    cells: CELLS,
    target: 20,
    setUp: () => {
      const c = sharpSpecks(SIDE);
      return () => {
        sieve(runsOf(c, SIDE, SIDE), 25, 8);
      };
    },
  },
  {
    name: "polygons",
    cells: CELLS,
    target: 15,
    setUp: () => {
      const c = blobs(SIDE);
      return () => {
        polygonise(runsOf(c, SIDE, SIDE), 8, cellAreas(grid));
      };
    },
  },
  {
    name: "exact tally",
    cells: CELLS,
    target: 100,
    setUp: () => {
      const c = blobs(SIDE);
      const zone = new Uint8Array(CELLS).map((_v, i) => 1 + Math.floor((i % SIDE) / 500));
      const areas = cellAreas(grid);
      return () => {
        new Tally(8).add(c, zone, fullWindow(grid), areas);
      };
    },
  },
  {
    name: "write COG with overviews, float32 with predictor (compression in a helper thread)",
    cells: CELLS,
    target: 5,
    setUp: () => {
      const a = power(SIDE, 1);
      const levels = levelCount(SIDE, SIDE);
      const pyramid = [a];
      for (let level = 1; level < levels; level++) {
        const s = SIDE >> (level - 1);
        const out = new Float32Array((s / 2) ** 2);
        halveMean(pyramid[level - 1]!, s, s, out);
        pyramid.push(out);
      }
      return async () => {
        await writeCog(
          {
            grid,
            type: "float32",
            bands: [{ name: "VV" }],
            nodata: NaN,
            levels,
            readBlock: (level, row, col) =>
              Promise.resolve([cut(pyramid[level]!, levelGrid(grid, level).width, row, col)]),
          },
          new MemoryFile(),
          () => Promise.resolve(),
        );
      };
    },
  },
];

function cut(a: Float32Array, width: number, row: number, col: number): Float32Array {
  const w = Math.min(BLOCK, width - col * BLOCK);
  const h = Math.min(BLOCK, width - row * BLOCK);
  const out = new Float32Array(w * h);
  for (let r = 0; r < h; r++) {
    out.set(
      a.subarray(
        (row * BLOCK + r) * width + col * BLOCK,
        (row * BLOCK + r) * width + col * BLOCK + w,
      ),
      r * w,
    );
  }
  return out;
}

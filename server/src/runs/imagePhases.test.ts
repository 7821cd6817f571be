import { utm } from "@hindglance/core/geodesy/crs";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { BLOCK, levelCount, levelGrid, northUp } from "@hindglance/core/grid/grid";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import { histogramTotal } from "@hindglance/core/raster/histogram";
import { type StoredBlock, blockWindow, readBlocks } from "../db/blocks";
import { createImage } from "../db/images";
import { databaseForTests } from "../testing/database";
import { Engine } from "./engine";
import { Worker } from "./worker";
import type { RunKind } from "./kind";
import { type ImageFacts, ImagePhases } from "./imagePhases";
import { rowRanges } from "./ranges";

const testDatabase = databaseForTests();
let study: string;
beforeAll(async () => {
  study = await testDatabase.study("Images");
});

describe("ranges of rows", () => {
  test.each([
    [100, 100, 12e6],
    [1300, 1100, 1],
    [1300, 1100, 700_000],
    [5000, 7000, 12e6],
    [BLOCK, 3 * BLOCK, BLOCK * BLOCK],
  ])(
    "of %i x %i cells, about %i each: every row once, every cell counted",
    (width, height, cells) => {
      const ranges = rowRanges(width, height, cells);
      expect(ranges[0]!.from).toBe(0);
      expect(ranges.at(-1)!.to).toBe(Math.ceil(height / BLOCK));
      ranges.slice(1).forEach(({ from }, k) => expect(from).toBe(ranges[k]!.to));
      expect(ranges.reduce((sum, range) => sum + range.cells, 0)).toBe(width * height);
      for (const { from, to, cells: own } of ranges) {
        expect(to - from === 1 || own <= cells).toBe(true);
      }
    },
  );
});

const WIDTH = 1300;
const HEIGHT = 1100;
const grid = northUp(utm(27, true), 490_000, 5_180_000, 10, 10, WIDTH, HEIGHT);

interface Made {
  info: ImageInfo;
  facts: ImageFacts;
  blocksOf(level: number): Promise<(StoredBlock & { cells: Float32Array | Uint8Array })[]>;
}

/** Writes an image through a run with its phases; `cell` gives its numbers by column, row and band. */
async function written(
  info: ImageInfo,
  cell: (c: number, r: number, band: number) => number,
  cellsOf: (n: number) => StoredBlock["cells"],
): Promise<Made> {
  const { db } = testDatabase;
  const levels = levelCount(WIDTH, HEIGHT);
  const imageId = await db.withClient((client) => createImage(client, info, levels));
  // Ranges of one block row each, so that facts come from several parts.
  const phases = new ImagePhases({ info, imageId, first: 0, cellsName: "Cells", rangeCells: 1 });
  const row = (k: number): Promise<StoredBlock[]> =>
    Promise.resolve(
      Array.from({ length: Math.ceil(WIDTH / BLOCK) }, (_v, col) => col).flatMap((col) =>
        info.bands.map((_band, band) => {
          const window = blockWindow(k, col, WIDTH, HEIGHT);
          const cells = cellsOf(window.width * window.height);
          for (let i = 0; i < cells.length; i++) {
            const c = window.col + (i % window.width);
            cells[i] = cell(c, window.row + Math.floor(i / window.width), band);
          }
          return { level: 0, row: k, col, band, cells };
        }),
      ),
    );
  let facts: ImageFacts | null = null;
  const kind: RunKind = {
    phases: () => phases.plan,
    ranges: (phase) => Promise.resolve(phases.ranges(phase)),
    work: (phase, seq, _params, ctx, run) => phases.work(phase, seq, ctx, run.id, row),
    finish: async (_params, results) => {
      facts = await phases.facts(results);
      return {};
    },
    discard: () => Promise.resolve(),
  };
  const engine = new Engine(db, { image: kind });
  const worker = new Worker(db, engine, 1 << 20);
  worker.start();
  const id = await db.withTransaction((client) =>
    engine.submit(client, { studyId: study, kind: "image", title: "Image", params: {} }),
  );
  const run = await engine.wait(id, 60_000);
  await worker.stop();
  expect(run.state).toBe("done");
  return {
    info,
    facts: facts!,
    blocksOf: (level) =>
      db.withClient((client) =>
        readBlocks(
          client,
          imageId,
          level,
          ...([0, 99, 0, 99] as const),
          level === 0 ? info.stored : "float32",
        ),
      ),
  };
}

/** Cells of one band of a level as one picture. */
async function picture(made: Made, level: number, band: number): Promise<Float64Array> {
  const { width, height } = levelGrid(grid, level);
  const out = new Float64Array(width * height).fill(-12_345);
  for (const block of (await made.blocksOf(level)).filter((one) => one.band === band)) {
    const window = blockWindow(block.row, block.col, width, height);
    block.cells.forEach((value, i) => {
      const r = window.row + Math.floor(i / window.width);
      out[r * width + window.col + (i % window.width)] = value;
    });
  }
  return out;
}

describe("an image of two bands of values", () => {
  // Some cells are nodata; the second band holds its number of columns.
  const hole = (c: number, r: number) => c % 97 === 0 || (r > 600 && r < 640);
  const value = (c: number, r: number) => (hole(c, r) ? NaN : (c * 7 + r * 3) % 1000);
  const cell = (c: number, r: number, band: number) => (band === 1 ? c : value(c, r));
  let made: Made;
  beforeAll(async () => {
    const info: ImageInfo = {
      grid,
      type: "float32",
      bands: ["a", "b"].map((name) => ({ name, unit: "", role: "value" as const })),
    };
    made = await written(info, cell, (n) => new Float32Array(n));
  }, 120_000);

  test("is stored cell for cell", async () => {
    const stored = await picture(made, 0, 0);
    let wrong = 0;
    for (let i = 0; i < stored.length; i++) {
      const wanted = cell(i % WIDTH, Math.floor(i / WIDTH), 0);
      wrong += Object.is(stored[i], wanted) || stored[i] === wanted ? 0 : 1;
    }
    expect(wrong).toBe(0);
  });

  test("has statistics of all its parts", () => {
    const [first, second] = made.facts.statistics;
    let valid = 0;
    let sum = 0;
    for (let r = 0; r < HEIGHT; r++) {
      for (let c = 0; c < WIDTH; c++) {
        if (!hole(c, r)) {
          valid++;
          sum += cell(c, r, 0);
        }
      }
    }
    expect(first).toMatchObject({ cells: WIDTH * HEIGHT, valid, sum, min: 0, max: 999 });
    expect(second).toMatchObject({
      valid: WIDTH * HEIGHT,
      min: 0,
      max: WIDTH - 1,
      sum: (HEIGHT * WIDTH * (WIDTH - 1)) / 2,
    });
  });

  test("has histograms over its own extent that hold every cell with a value", () => {
    made.facts.histograms.forEach((histogram, k) => {
      const { min, max, valid } = made.facts.statistics[k]!;
      expect([histogram.min, histogram.max]).toEqual([min, max]);
      expect(histogramTotal(histogram)).toBe(valid);
    });
    expect(made.facts.looks).toEqual([null, null]);
  });

  test("has overviews that are means of four, without the cells that hold none", async () => {
    const half = await picture(made, 1, 0);
    const width = Math.ceil(WIDTH / 2);
    expect(half).toHaveLength(width * Math.ceil(HEIGHT / 2));
    for (const [c, r] of [
      [0, 0],
      [48, 10],
      [300, 299],
      [649, 549],
      [511, 255],
      [512, 256],
    ] as const) {
      const four = [0, 1].flatMap((y) =>
        [0, 1].map((x) => cell(2 * c + x, 2 * r + y, 0)).filter((value) => !Number.isNaN(value)),
      );
      const mean = four.reduce((sum, value) => sum + value, 0) / four.length;
      expect(half[r * width + c]).toBeCloseTo(mean, 3);
    }
    // Rows 602 to 638 are empty, so 301 to 318 of the overview are.
    expect(half[310 * width + 7]).toBeNaN();
    const last = await picture(made, levelCount(WIDTH, HEIGHT) - 1, 1);
    const mean = last.reduce((sum, value) => sum + value, 0) / last.length;
    expect(mean / ((WIDTH - 1) / 2)).toBeCloseTo(1, 2);
  });
});

test("labels: the most frequent of four; what is none counts nowhere", async () => {
  const info: ImageInfo = {
    grid,
    type: "class8",
    bands: [{ name: "classes", unit: "", role: "classes" }],
    classes: [1, 2].map((label) => ({ label, name: String(label), color: "#000000" })),
  };
  const label = (c: number) => (c % 4 === 0 ? 2 : 1);
  const cell = (c: number, r: number) => (r < 100 ? CLASS_NODATA : label(c));
  const made = await written(info, cell, (n) => new Uint8Array(n));
  const [facts] = made.facts.statistics;
  expect(facts).toMatchObject({ valid: WIDTH * (HEIGHT - 100), min: 1, max: 2 });
  const half = await picture(made, 1, 0);
  const width = WIDTH / 2;
  expect(half[10 * width + 3]).toBe(CLASS_NODATA);
  // Columns 2 and 3 of every four are 1; columns 0 and 1 are 2 and 1, evenly.
  expect(half[200 * width + 1]).toBe(1);
  expect([1, 2]).toContain(half[200 * width]);
});

test("amplitudes kept as whole numbers: nodata is 0, histograms are of power in decibels", async () => {
  const info: ImageInfo = {
    grid,
    type: "float32",
    stored: "uint16",
    bands: [{ name: "VV", unit: "DN", role: "amplitude" }],
  };
  const made = await written(
    info,
    (c) => (c < 13 ? 0 : 100),
    (n) => new Uint16Array(n),
  );
  expect(made.facts.statistics[0]).toMatchObject({
    valid: (WIDTH - 13) * HEIGHT,
    min: 100,
    max: 100,
  });
  const [histogram] = made.facts.histograms;
  expect(histogramTotal(histogram!)).toBe((WIDTH - 13) * HEIGHT);
  // 100 squared is 40 dB.
  const at = histogram!.counts.findIndex((count) => count > 0);
  const width = (histogram!.max - histogram!.min) / histogram!.counts.length;
  expect(Math.abs(histogram!.min + (at + 0.5) * width - 40)).toBeLessThanOrEqual(width);
  const stored = await picture(made, 0, 0);
  expect([stored[0], stored[13]]).toEqual([NaN, 100]);
});

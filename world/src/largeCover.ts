import { once } from "node:events";
import { createWriteStream, mkdirSync } from "node:fs";
import { join } from "node:path";
import { utm } from "@hindglance/core/geodesy/crs";
import { type Grid, northUp } from "@hindglance/core/grid/grid";
import { plainTiffHeader } from "./plainTiff";
import { fractal, gammaMean1, generator } from "./random";

/** Side of the scenes in cells, how many classes they show, and in how many bands. */
export const COVER = { side: 10_000, classes: 8, bands: 7 };
/** Years of both dates. */
export const COVER_YEARS = [2019, 2025] as const;

/** Cells of one field of ground, across and down: classes change from field to field. */
const FIELD = 50;
const FIELDS = COVER.side / FIELD;

/** Grid of both scenes. */
export const coverGrid: Grid = northUp(
  utm(27, true),
  300_000,
  5_300_000,
  10,
  10,
  COVER.side,
  COVER.side,
);

/** Class of each field of a date, row by row, from nought; a sixteenth of them is another one later. */
export function coverFields(seed: number, year: number): Uint8Array {
  const isLater = year !== COVER_YEARS[0];
  return Uint8Array.from({ length: FIELDS * FIELDS }, (_v, field) => {
    const [x, y] = [field % FIELDS, Math.floor(field / FIELDS)];
    const value = fractal(x / 12, y / 12, 3, seed) * 0.5 + 0.5;
    const own = Math.max(0, Math.min(COVER.classes - 1, Math.floor(value * COVER.classes)));
    return isLater && x % 4 === 0 && y % 4 === 0 ? (own + 1) % COVER.classes : own;
  });
}

/** Place of the first cell of a field, across and down, and how many cells it has to each side. */
export const placeOfField = (field: number) => ({
  ...{ col: (field % FIELDS) * FIELD, row: Math.floor(field / FIELDS) * FIELD },
  size: FIELD,
});

/** Writes both dates as 16-bit GeoTIFFs of seven bands, cell by cell, row by row. */
export async function writeLargeCover(folder: string, seed: number): Promise<void> {
  mkdirSync(folder, { recursive: true });
  for (const year of COVER_YEARS) {
    await writeDate(join(folder, `cover_${year}.tif`), coverFields(seed, year), seed + year);
  }
}

async function writeDate(path: string, fields: Uint8Array, seed: number): Promise<void> {
  const { side, bands, classes } = COVER;
  const random = generator(seed);
  const grain = Float32Array.from({ length: 1 << 16 }, () => gammaMean1(150, random));
  const level = Float32Array.from({ length: classes * bands }, () => 400 + 3000 * random());
  const out = createWriteStream(path);
  out.write(header());
  let s = seed;
  for (let row = 0; row < side; row++) {
    const cells = new Uint16Array(side * bands);
    const first = Math.floor(row / FIELD) * FIELDS;
    for (let col = 0, at = 0; col < side; col++) {
      const own = fields[first + Math.floor(col / FIELD)]! * bands;
      for (let band = 0; band < bands; band++) {
        s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
        cells[at++] = level[own + band]! * grain[s >>> 16]!;
      }
    }
    if (!out.write(new Uint8Array(cells.buffer))) {
      await once(out, "drain");
    }
  }
  out.end();
  await once(out, "finish");
}

const header = (): Uint8Array =>
  plainTiffHeader({
    ...{ width: COVER.side, height: COVER.side, bits: 16, float: false, samples: COVER.bands },
    extra: [
      [33550, 12, [10, 10, 0]],
      [33922, 12, [0, 0, 0, coverGrid.transform[0], coverGrid.transform[3], 0]],
      [
        34735,
        3,
        [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, Number(coverGrid.crs.code.slice(5))],
      ],
    ],
  });

import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { COVER, type Ground, HEIGHT, ORIGIN, WIDTH, worldGrid } from "../ground";
import { plainTiffHeader } from "../plainTiff";
import { generator, hash2 } from "../random";

/** Cells of 250 m; whole numbers, value = number x 0.0001, fill −3000. */
export const GREENNESS = { cellM: 250, scale: 0.0001, fill: -3000 } as const;
const PER = GREENNESS.cellM / 10;
const width = Math.floor(WIDTH / PER);
const height = Math.floor(HEIGHT / PER);
/** EVI of covers at the height of summer and in the depth of winter. */
const SEASON: Record<number, readonly [number, number]> = {
  [COVER.water]: [0.02, 0.02],
  [COVER.reed]: [0.42, 0.2],
  [COVER.pasture]: [0.48, 0.3],
  [COVER.crop]: [0.62, 0.14],
  [COVER.heath]: [0.33, 0.26],
  [COVER.wood]: [0.52, 0.4],
  [COVER.rock]: [0.08, 0.07],
  [COVER.town]: [0.14, 0.11],
  [COVER.airfield]: [0.1, 0.09],
};
const LOST = [0, 0.2, 0.5, 0.85] as const;

/** First days of the composites of 2024 and 2025. */
export const greennessDates = (): { year: number; day: number }[] =>
  [2024, 2025].flatMap((year) =>
    Array.from({ length: 23 }, (_v, k) => ({ year, day: 1 + 16 * k })),
  );

/** File name of a composite. */
export const greennessName = (date: { year: number; day: number }): string =>
  `HELIO_EVI_A${date.year}${String(date.day).padStart(3, "0")}.tif`;

/**
 * True EVI of the composites on their cells: a date's is a sum of four parts that belong to the
 * year, so that the ground is walked once a year.
 */
export function greennessOf(
  ground: Ground,
  severity: Uint8Array,
  year: number,
): (day: number) => Float32Array {
  const n = width * height;
  const low = new Float64Array(n);
  const swing = new Float64Array(n);
  const lowLost = new Float64Array(n);
  const swingLost = new Float64Array(n);
  for (let r = 0; r < height * PER; r++) {
    for (let c = 0; c < width * PER; c++) {
      const i = r * WIDTH + c;
      const offset = Math.floor(r / PER) * width + Math.floor(c / PER);
      const [high, winter] = SEASON[ground.cover[i]!]!;
      const own =
        ground.cover[i] === COVER.crop
          ? 0.85 + 0.3 * hash2(ground.field[i]! & 65535, ground.field[i]! >>> 16, year)
          : 1;
      const lost = LOST[severity[i]!]!;
      low[offset]! += winter;
      swing[offset]! += high * own - winter;
      lowLost[offset]! += winter * lost;
      swingLost[offset]! += (high * own - winter) * lost;
    }
  }
  return (day) => {
    // South of the equator plants are greenest around the turn of the year; a burned slope comes
    // back in some years.
    const summer = 0.5 + 0.5 * Math.cos(((day - 15) / 365) * 2 * Math.PI);
    const since = year * 365 + day - (2025 * 365 + 40);
    const back = since < 0 ? 0 : Math.exp(-since / 500);
    return Float32Array.from(
      low,
      (value, offset) =>
        (value +
          swing[offset]! * summer -
          back * (lowLost[offset]! + swingLost[offset]! * summer)) /
        (PER * PER),
    );
  };
}

/**
 * The 16-day series as GeoTIFFs with scale, fill and date in the file; cloudy cells are fill, a few
 * more of them in winter.
 */
export function writeGreenness(folder: string, ground: Ground, severity: Uint8Array): void {
  mkdirSync(folder, { recursive: true });
  const grid = worldGrid();
  const root = "GDALMetadata";
  const years = new Map([2024, 2025].map((y) => [y, greennessOf(ground, severity, y)]));
  for (const date of greennessDates()) {
    const truth = years.get(date.year)!(date.day);
    const random = generator(date.year * 400 + date.day);
    const cells = new Int16Array(width * height);
    const text = (s: string) => [...s, "\0"].map((ch) => ch.charCodeAt(0));
    for (let i = 0; i < cells.length; i++) {
      cells[i] =
        hash2((i % width) >> 3, Math.floor(i / width) >> 3, date.year * 400 + date.day) < 0.05
          ? GREENNESS.fill
          : Math.round((truth[i]! + 0.008 * (random() + random() - 1)) / GREENNESS.scale);
    }
    const start = new Date(Date.UTC(date.year, 0, date.day)).toISOString().slice(0, 10);
    const head = plainTiffHeader({
      width,
      height,
      bits: 16,
      float: false,
      signed: true,
      extra: [
        [33550, 12, [GREENNESS.cellM, GREENNESS.cellM, 0]],
        [33922, 12, [0, 0, 0, ORIGIN[0], ORIGIN[1], 0]],
        [
          34735,
          3,
          [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, Number(grid.crs.code.slice(5))],
        ],
        [
          42112,
          2,
          text(
            `<${root}><Item name="ACQUIRED">${start}T00:00:00Z</Item><Item name="scale" sample="0" role="scale">${GREENNESS.scale}</Item><Item name="offset" sample="0" role="offset">0</Item><Item name="DESCRIPTION" sample="0" role="description">EVI</Item></${root}>`,
          ),
        ],
        [42113, 2, text(String(GREENNESS.fill))],
      ],
    });
    writeFileSync(
      join(folder, greennessName(date)),
      Buffer.concat([head, new Uint8Array(cells.buffer)]),
    );
  }
}

import { createWriteStream, mkdirSync, writeFileSync } from "node:fs";
import { once } from "node:events";
import { join } from "node:path";
import { northUp } from "@hindglance/core/grid/grid";
import { buildJp2 } from "@hindglance/formats/testing/buildJp2";
import { COVER, worldGrid } from "./ground";
import { HELIO_BANDS, DATES, SPECTRA } from "./optical/ground";
import { GAIN, OFFSET, SCENES, helioName, metadata, throughAir } from "./optical/helio";
import { plainTiffHeader } from "./plainTiff";
import { noise } from "./random";

/** Cells a side of a full optical scene, and of a granule's band of 10 m. */
export const FULL_BANDS = 7800;
export const FULL_GRANULE = 10_980;

/** Covers that the scene is made of, by number of a patch. */
const COVERS = [
  COVER.water,
  COVER.wood,
  COVER.crop,
  COVER.pasture,
  COVER.heath,
  COVER.rock,
  COVER.town,
];
/** Patches of one cover are this many cells a side. */
const SQUARE = 16;
const ACROSS = Math.ceil(FULL_BANDS / SQUARE);

const patchesOf = (seed: number): Uint8Array =>
  Uint8Array.from({ length: ACROSS * ACROSS }, (_v, i) => {
    const wave = noise((i % ACROSS) / 9, Math.floor(i / ACROSS) / 9, seed);
    return Math.floor(Math.max(0, Math.min(0.999, 0.5 + 0.62 * wave)) * COVERS.length);
  });

/** Next of a plain congruential generator (Numerical Recipes' constants), 32 bits. */
const nextOf = (state: number): number => (Math.imul(state, 1664525) + 1013904223) >>> 0;

/** A band as a TIFF, row by row; `cell` gives its number from the patch and a number in [0, 1). */
async function writeBand(
  file: string,
  patches: Uint8Array,
  seed: number,
  cell: (patch: number, random: number) => number,
): Promise<void> {
  const n = FULL_BANDS;
  const { crs } = worldGrid();
  const grid = northUp(crs, 400_000, 5_300_000, 30, 30, n, n);
  const keys = [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, Number(crs.code.slice(5))];
  const extra: [number, 3 | 12, number[]][] = [
    [33550, 12, [30, 30, 0]],
    [33922, 12, [0, 0, 0, grid.transform[0], grid.transform[3], 0]],
    [34735, 3, keys],
  ];
  const out = createWriteStream(file);
  out.write(plainTiffHeader({ width: n, height: n, bits: 16, float: false, extra }));
  let state = seed >>> 0;
  for (let r = 0; r < n; r++) {
    const row = new Uint16Array(n);
    const at = Math.floor(r / SQUARE) * ACROSS;
    for (let c = 0; c < n; c++) {
      state = nextOf(state);
      row[c] = cell(patches[at + Math.floor(c / SQUARE)]!, state / 4294967296);
    }
    if (!out.write(new Uint8Array(row.buffer))) {
      await once(out, "drain");
    }
  }
  out.end();
  await once(out, "finish");
}

/** One band of a full granule as JPEG 2000. */
async function writeGranuleBand(file: string, patches: Uint8Array, seed: number): Promise<void> {
  const side = FULL_GRANULE;
  const cells = new Uint16Array(side * side);
  let state = seed >>> 0;
  for (let i = 0; i < cells.length; i++) {
    state = nextOf(state);
    const row = Math.floor(Math.floor(i / side) / 23);
    const column = Math.floor((i % side) / 23);
    cells[i] = 1400 + 500 * patches[row * ACROSS + column]! + (state >>> 25);
  }
  const gml = `<gml:RectifiedGrid xmlns:gml="http://www.opengis.net/gml"><gml:origin><gml:Point srsName="urn:ogc:def:crs:EPSG::32727"><gml:pos>400005 5299995</gml:pos></gml:Point></gml:origin><gml:offsetVector>10 0</gml:offsetVector><gml:offsetVector>0 -10</gml:offsetVector></gml:RectifiedGrid>`;
  writeFileSync(
    file,
    await buildJp2({ width: side, height: side, bits: 16, tile: 1024, cells: [cells] }, { gml }),
  );
}

/**
 * An optical scene of full size, a file a band with quality bits and metadata text, and one JPEG
 * 2000 band of a full granule, for benchmarks: covers in large patches, without relief or sky.
 */
export async function writeLargeOptical(folder: string, seed: number): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const scene = SCENES.before;
  const { air, sunElevationDeg } = DATES.before;
  const sun = Math.sin((sunElevationDeg * Math.PI) / 180);
  const patches = patchesOf(seed);
  const path = (end: string) => join(folder, `${helioName(scene)}_${end}`);
  for (const [b, band] of HELIO_BANDS.entries()) {
    const numbers = COVERS.map(
      (cover) => (throughAir(SPECTRA[cover]![b]!, b, air) * sun - OFFSET) / GAIN,
    );
    await writeBand(
      path(`B${band.id}.TIF`),
      patches,
      seed,
      (patch, random) => numbers[patch]! * (0.985 + 0.03 * random),
    );
  }
  await writeBand(path("QA_PIXEL.TIF"), patches, seed, (patch) =>
    COVERS[patch] === COVER.water ? 64 | 128 : 64,
  );
  writeFileSync(path("MTL.txt"), metadata(scene, 0));
  await writeGranuleBand(join(folder, "band_20250122.jp2"), patches, seed);
}

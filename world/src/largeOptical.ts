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

/**
 * An optical scene of full size, a file a band with quality bits and metadata text, and one JPEG
 * 2000 band of a full granule, for benchmarks: covers in large patches, without relief or sky.
 */
export async function writeLargeOptical(folder: string, seed: number): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const n = FULL_BANDS;
  const coarse = worldGrid();
  const grid = northUp(coarse.crs, 400_000, 5_300_000, 30, 30, n, n);
  const scene = SCENES.before;
  const before = DATES.before;
  const sun = Math.sin((before.sunElevationDeg * Math.PI) / 180);
  const covers = [
    COVER.water,
    COVER.wood,
    COVER.crop,
    COVER.pasture,
    COVER.heath,
    COVER.rock,
    COVER.town,
  ];
  const extra: [number, 3 | 12, number[]][] = [
    [33550, 12, [30, 30, 0]],
    [33922, 12, [0, 0, 0, grid.transform[0], grid.transform[3], 0]],
    [
      34735,
      3,
      [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, Number(coarse.crs.code.slice(5))],
    ],
  ];
  // Patches of one cover every sixteenth cell; between, the nearest.
  const SQUARE = 16;
  const m = Math.ceil(n / SQUARE);
  const patch = Uint8Array.from({ length: m * m }, (_v, i) =>
    Math.floor(
      Math.max(0, Math.min(0.999, 0.5 + 0.62 * noise((i % m) / 9, Math.floor(i / m) / 9, seed))) *
        covers.length,
    ),
  );
  const write = async (name: string, cell: (cover: number, across: number) => number) => {
    const out = createWriteStream(join(folder, name));
    out.write(plainTiffHeader({ width: n, height: n, bits: 16, float: false, extra }));
    let s = seed >>> 0;
    for (let r = 0; r < n; r++) {
      const row = new Uint16Array(n);
      const at = Math.floor(r / SQUARE) * m;
      for (let c = 0; c < n; c++) {
        s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
        row[c] = cell(patch[at + (c >> 4)]!, s / 4294967296);
      }
      if (!out.write(new Uint8Array(row.buffer))) {
        await once(out, "drain");
      }
    }
    out.end();
    await once(out, "finish");
  };
  for (const [b, band] of HELIO_BANDS.entries()) {
    const dn = covers.map(
      (cover) => (throughAir(SPECTRA[cover]![b]!, b, before.air) * sun - OFFSET) / GAIN,
    );
    await write(
      `${helioName(scene)}_B${band.id}.TIF`,
      (k, across) => dn[k]! * (0.985 + 0.03 * across),
    );
  }
  await write(`${helioName(scene)}_QA_PIXEL.TIF`, (k) =>
    covers[k] === COVER.water ? 64 | 128 : 64,
  );
  writeFileSync(join(folder, `${helioName(scene)}_MTL.txt`), metadata(scene, 0));
  const SIDE = FULL_GRANULE;
  const cells = new Uint16Array(SIDE * SIDE);
  let s = seed >>> 0;
  for (let i = 0; i < cells.length; i++) {
    s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
    cells[i] =
      1400 +
      500 * patch[Math.floor(Math.floor(i / SIDE) / 23) * m + Math.floor((i % SIDE) / 23)]! +
      (s >>> 25);
  }
  writeFileSync(
    join(folder, "band_20250122.jp2"),
    await buildJp2(
      { width: SIDE, height: SIDE, bits: 16, tile: 1024, cells: [cells] },
      {
        gml: `<gml:RectifiedGrid xmlns:gml="http://www.opengis.net/gml"><gml:origin><gml:Point srsName="urn:ogc:def:crs:EPSG::32727"><gml:pos>400005 5299995</gml:pos></gml:Point></gml:origin><gml:offsetVector>10 0</gml:offsetVector><gml:offsetVector>0 -10</gml:offsetVector></gml:RectifiedGrid>`,
      },
    ),
  );
}

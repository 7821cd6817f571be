import { mkdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { fromEcef } from "@hindglance/core/geodesy/ecef";
import { northUp } from "@hindglance/core/grid/grid";
import { RangeDoppler } from "@hindglance/core/radar/sensor";
import { worldGrid } from "./ground";
import { PASSES, announcedVectors, sensorOf, trueVectors } from "./mission";
import { gammaMean1, generator, noise } from "./random";
import { LOOKS } from "./radar";
import { incidenceOf, orbitFileName, orbitFileText, productName, writeSafe } from "./safe";
import { BETA_GAIN } from "./simulate";
import { writeFloat } from "./write";

/** Size of a full product: lines along the track, samples across. */
export const FULL = { lines: 16_000, samples: 25_000 };
const ROWS = 64;
const ELEVATION_CELL_M = 90;

/**
 * A product of full size with its orbit file and rolling elevation under it, for benchmarks of
 * import and chain: ground of two kinds in large
 * patches, speckled, without the radar shadow and layover of the demo's scenes. Written row by row.
 */
export async function writeLargeProduct(folder: string, seed: number): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const pass = PASSES[2]!;
  const sensor = sensorOf(pass, announcedVectors(pass), FULL.lines, FULL.samples);
  const incidence = incidenceOf(
    sensorOf(pass, trueVectors(pass, -80, 80), FULL.lines, FULL.samples),
  );
  const orbit = 58000 + pass.seed;
  const name = productName(sensor, orbit);
  const rows = (band: 0 | 1) =>
    function* () {
      const random = generator(seed + band);
      const table = Float32Array.from({ length: 1 << 16 }, () => gammaMean1(LOOKS, random));
      const root = table.map(Math.sqrt);
      let s = (seed * 2654435761 + band) >>> 0;
      for (let line = 0; line < FULL.lines; line += ROWS) {
        const h = Math.min(ROWS, FULL.lines - line);
        const out = new Uint16Array(h * FULL.samples);
        for (let c = 0; c < FULL.samples; c++) {
          const dark = noise(line / 900, c / 900, 7) > 0.62;
          const beta = (dark ? 0.006 : 0.12) * (band ? 0.2 : 1);
          const dn = BETA_GAIN * Math.sqrt(beta / Math.sin(incidence[c]!));
          for (let r = 0; r < h; r++) {
            s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
            out[r * FULL.samples + c] = Math.max(1, dn * root[s >>> 16]! + 0.5);
          }
        }
        yield out;
      }
    };
  await writeSafe(join(folder, `${name}.zip`), {
    sensor,
    name,
    absoluteOrbit: orbit,
    incidence,
    bands: [
      { polarisation: "VV", rows: rows(0) },
      { polarisation: "VH", rows: rows(1) },
    ],
  });
  const stateVectors = trueVectors(pass, -290, 290);
  writeFileSync(join(folder, orbitFileName(stateVectors)), orbitFileText(stateVectors, orbit));
  await writeRollingElevation(
    join(folder, "corvane_large_elevation.tif"),
    new RangeDoppler(sensor),
  );
}

/** Hills up to 900 m under the whole product and some kilometres around it. */
async function writeRollingElevation(path: string, rd: RangeDoppler): Promise<void> {
  const { crs } = worldGrid();
  const pointTransform = transformer(LONLAT, crs);
  const corners = [
    [0, 0],
    [FULL.lines, 0],
    [0, FULL.samples],
    [FULL.lines, FULL.samples],
  ].map(([line, s]) => {
    const [lon, lat] = fromEcef(rd.ground(line!, s!, 0));
    return pointTransform(lon, lat);
  });
  const m = ELEVATION_CELL_M;
  const x0 = Math.floor(Math.min(...corners.map((corner) => corner[0])) / m) * m - 6000;
  const x1 = Math.max(...corners.map((corner) => corner[0])) + 6000;
  const y0 = Math.min(...corners.map((corner) => corner[1])) - 6000;
  const y1 = Math.ceil(Math.max(...corners.map((corner) => corner[1])) / m) * m + 6000;
  const grid = northUp(crs, x0, y1, m, m, Math.ceil((x1 - x0) / m), Math.ceil((y1 - y0) / m));
  const z = new Float32Array(grid.width * grid.height);
  for (let r = 0; r < grid.height; r++) {
    for (let c = 0; c < grid.width; c++) {
      z[r * grid.width + c] =
        325 * (1 + noise(c / 60, r / 60, 11)) + 125 * (1 + noise(c / 13, r / 13, 12));
    }
  }
  await writeFloat(path, grid, [z], [{ name: "elevation", unit: "m" }], -9999, {
    KIND: "elevation",
    VERTICAL: "WGS 84 ellipsoid",
    DESCRIPTION: "Made-up terrain",
  });
}

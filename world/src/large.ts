import { mkdirSync, createWriteStream } from "node:fs";
import { once } from "node:events";
import { join } from "node:path";
import { type Grid, northUp } from "@hindglance/core/grid/grid";
import { buildGround, HEIGHT, WIDTH, type Ground } from "./ground";
import { AFTER, BEFORE, LOOKS, type Pass, cleanSigma } from "./radar";
import { plainTiffHeader } from "./plainTiff";
import { gammaMean1, generator } from "./random";

/** Side of a large scene in cells, for benchmarks. */
export const LARGE = 10_000;

/**
 * The pair of the Ombrel flood on 2 m cells, 10 000 x 10 000, VV only, as plain striped float32
 * GeoTIFFs. The ground stays at
 * 10 m; speckle is drawn anew on every cell from a table of deviates. Written row by row.
 */
export async function writeLarge(folder: string, seed: number): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const ground = buildGround(seed);
  const grid = northUp(
    ground.grid.crs,
    ground.grid.transform[0] + 2000,
    ground.grid.transform[3],
    2,
    2,
    LARGE,
    LARGE,
  );
  await writeStriped(
    join(folder, "corvane_large_20250502T184110_sigma0_VV.tif"),
    ground,
    BEFORE,
    grid,
  );
  await writeStriped(
    join(folder, "corvane_large_20250514T184110_sigma0_VV.tif"),
    ground,
    AFTER,
    grid,
  );
}

async function writeStriped(path: string, ground: Ground, pass: Pass, grid: Grid): Promise<void> {
  const [clean] = cleanSigma(ground, pass);
  const random = generator(pass.seed);
  const table = Float32Array.from({ length: 1 << 16 }, () => gammaMean1(LOOKS, random));
  const out = createWriteStream(path);
  out.write(header(grid));
  let s = pass.seed;
  for (let r = 0; r < LARGE; r++) {
    const row = new Float32Array(LARGE);
    const y = Math.min(HEIGHT - 1, Math.floor(r / 5));
    for (let c = 0; c < LARGE; c++) {
      const x = Math.min(WIDTH - 1, 200 + Math.floor(c / 5));
      s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
      row[c] = pass.frame(2 + c / 500, r / 500) ? clean[y * WIDTH + x]! * table[s >>> 16]! : 0;
    }
    if (!out.write(new Uint8Array(row.buffer))) {
      await once(out, "drain");
    }
  }
  out.end();
  await once(out, "finish");
}

const header = (grid: Grid): Uint8Array =>
  plainTiffHeader({
    width: grid.width,
    height: grid.height,
    bits: 32,
    float: true,
    extra: [
      [33550, 12, [grid.transform[1], -grid.transform[5], 0]],
      [33922, 12, [0, 0, 0, grid.transform[0], grid.transform[3], 0]],
      [
        34735,
        3,
        [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, Number(grid.crs.code.slice(5))],
      ],
      [42113, 2, [48, 0]],
    ],
  });

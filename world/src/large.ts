import { mkdirSync, createWriteStream } from 'node:fs';
import { once } from 'node:events';
import { join } from 'node:path';
import { type Grid, northUp } from '@hindglance/core/grid/grid';
import { buildGround, HEIGHT, WIDTH, type Ground } from './ground';
import { AFTER, BEFORE, LOOKS, type Pass, cleanSigma } from './radar';
import { gammaMean1, generator } from './random';

/** Side of a large scene in cells, for benchmarks. */
export const LARGE = 10_000;

/**
 * The pair of the Ombrel flood on 2 m cells, 10 000 x 10 000, VV only, as plain striped float32 GeoTIFFs. The ground stays at
 * 10 m; speckle is drawn anew on every cell from a table of deviates. Written row by row.
 */
export async function writeLarge(folder: string, seed: number): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const g = buildGround(seed), grid = northUp(g.grid.crs, g.grid.transform[0] + 2000, g.grid.transform[3], 2, 2, LARGE, LARGE);
  await writeStriped(join(folder, 'corvane_large_20250502T184110_sigma0_VV.tif'), g, BEFORE, grid);
  await writeStriped(join(folder, 'corvane_large_20250514T184110_sigma0_VV.tif'), g, AFTER, grid);
}

async function writeStriped(path: string, g: Ground, p: Pass, grid: Grid): Promise<void> {
  const [clean] = cleanSigma(g, p), u = generator(p.seed), table = Float32Array.from({ length: 1 << 16 }, () => gammaMean1(LOOKS, u));
  const out = createWriteStream(path);
  out.write(header(grid));
  let s = p.seed;
  for (let r = 0; r < LARGE; r++) {
    const row = new Float32Array(LARGE), y = Math.min(HEIGHT - 1, Math.floor(r / 5));
    for (let c = 0; c < LARGE; c++) {
      const x = Math.min(WIDTH - 1, 200 + Math.floor(c / 5));
      s = (Math.imul(s, 1664525) + 1013904223) >>> 0;
      row[c] = p.frame(2 + c / 500, r / 500) ? clean[y * WIDTH + x]! * table[s >>> 16]! : 0;
    }
    if (!out.write(new Uint8Array(row.buffer))) await once(out, 'drain');
  }
  out.end();
  await once(out, 'finish');
}

/** Directory of an uncompressed striped float32 GeoTIFF with one strip a row, nodata 0. */
function header(grid: Grid): Uint8Array {
  const n = grid.height, fields: [number, number, number[]][] = [
    [256, 4, [grid.width]], [257, 4, [n]], [258, 3, [32]], [259, 3, [1]], [262, 3, [1]], [273, 4, []], [277, 3, [1]], [278, 4, [1]], [279, 4, new Array<number>(n).fill(grid.width * 4)], [339, 3, [3]],
    [33550, 12, [grid.transform[1], -grid.transform[5], 0]], [33922, 12, [0, 0, 0, grid.transform[0], grid.transform[3], 0]], [34735, 3, [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, Number(grid.crs.code.slice(5))]], [42113, 2, [48, 0]],
  ];
  fields[5]![2] = new Array<number>(n).fill(0);
  const size: Record<number, number> = { 2: 1, 3: 2, 4: 4, 12: 8 };
  let at = 8 + 2 + fields.length * 12 + 4;
  const places = fields.map((f) => { const b = f[2].length * size[f[1]]!; if (b <= 4) return -1; const p = at; at += b + (b & 1); return p; });
  at = (at + 7) & ~7;
  fields[5]![2] = Array.from({ length: n }, (_v, i) => at + i * grid.width * 4);
  const out = new Uint8Array(at), v = new DataView(out.buffer);
  out.set([0x49, 0x49, 42, 0, 8]);
  v.setUint16(8, fields.length, true);
  fields.forEach((f, i) => {
    const p = 10 + i * 12;
    v.setUint16(p, f[0], true); v.setUint16(p + 2, f[1], true); v.setUint32(p + 4, f[2].length, true);
    let q = p + 8;
    if (places[i]! >= 0) { v.setUint32(q, places[i]!, true); q = places[i]!; }
    f[2].forEach((x, k) => { if (f[1] === 2) v.setUint8(q + k, x); else if (f[1] === 3) v.setUint16(q + 2 * k, x, true); else if (f[1] === 4) v.setUint32(q + 4 * k, x, true); else v.setFloat64(q + 8 * k, x, true); });
  });
  return out;
}

import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';
import type { Ground } from './ground';
import { PASSES, type RadarPass, announcedVectors, sensorOf, trueVectors } from './mission';
import { incidenceOf, orbitFileName, orbitFileText, productName, writeSafe } from './safe';
import { type CleanImage, digitalNumbers, simulate } from './simulate';

const absoluteOrbit = (p: RadarPass) => 58000 + p.seed;
/** Missions name the mission in orbit files with a hyphen, products by its short form. */
export const productFile = (p: RadarPass): string => `${productName(sensorOf(p, announcedVectors(p)), absoluteOrbit(p))}.zip`;
export const orbitFile = (p: RadarPass): string | null => (p.preciseOrbit ? orbitFileName(trueVectors(p, -290, 290)) : null);

/** Writes one scene, and its orbit file where there is one. */
export async function writeProduct(folder: string, g: Ground, p: RadarPass): Promise<CleanImage> {
  mkdirSync(folder, { recursive: true });
  const img = simulate(g, p), sensor = sensorOf(p, announcedVectors(p)), incidence = incidenceOf(sensorOf(p, trueVectors(p, -80, 80)));
  const rows = (band: 0 | 1) => function* () { const dn = digitalNumbers(img, p, band, incidence); for (let l = 0; l < img.lines; l += 64) yield dn.subarray(l * img.samples, Math.min(img.lines, l + 64) * img.samples); };
  await writeSafe(join(folder, productFile(p)), { sensor, name: productName(sensor, absoluteOrbit(p)), absoluteOrbit: absoluteOrbit(p), incidence, bands: [{ polarisation: 'VV', rows: rows(0) }, { polarisation: 'VH', rows: rows(1) }] });
  if (p.preciseOrbit) { const v = trueVectors(p, -290, 290); writeFileSync(join(folder, orbitFileName(v)), orbitFileText(v, absoluteOrbit(p))); }
  return img;
}

/**
 * Writes all scenes by two processes of this program's own `products` entry, half of the scenes each: most of the time of the demo's
 * making goes here.
 */
export async function writeProductsApart(folder: string, seed: number): Promise<void> {
  const entry = fileURLToPath(new URL('./products.js', import.meta.url)), halves = [0, 1].map((h) => PASSES.map((_p, i) => i).filter((i) => i % 2 === h));
  await Promise.all(halves.map((list) => new Promise<void>((ok, no) => {
    const child = spawn(process.execPath, [entry, folder, String(seed), list.join(',')], { stdio: 'inherit' });
    child.once('error', no);
    child.once('exit', (code) => (code === 0 ? ok() : no(new Error(`A process that makes products ended with ${code}`))));
  })));
}

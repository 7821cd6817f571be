import { mkdirSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
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

export async function writeProducts(folder: string, g: Ground): Promise<void> { for (const p of PASSES) await writeProduct(folder, g, p); }

import { Evaluator } from '@hindglance/core/graph/evaluator';
import { node, sourceNode } from '@hindglance/core/change/setup';
import type { ImageInfo } from '@hindglance/core/graph/image';
import { memorySources } from '@hindglance/core/testing/support';
import { buildGround } from './ground';
import { DATES, HELIO_BANDS, type OpticalDate, cleanReflectance, fireSeverity, opticalGrid, severityOnGrid } from './optical/ground';
import { throughAir } from './optical/helio';

// Runs the optical steps on the world's dates, holds them against the clean truth, and prints what came out as JSON: for the tests and for
// the tables of docs/methods.md.
const g = buildGround(27), fine = fireSeverity(g), truth = severityOnGrid(fine), grid = opticalGrid(), w = { col: 0, row: 0, width: grid.width, height: grid.height };
const rmse = (a: Float32Array, b: Float32Array) => { let s = 0; for (let i = 0; i < a.length; i++) s += (a[i]! - b[i]!) ** 2; return Math.sqrt(s / a.length); };
/** One date as reflectance at the top of the atmosphere, without the rounding and noise of a product. */
function scene(d: OpticalDate) {
  const clean = cleanReflectance(g, d, fine), toa = clean.map((b, k) => b.map((v) => throughAir(v, k, d.air)));
  const info: ImageInfo = { grid, type: 'float32', bands: HELIO_BANDS.map((b) => ({ name: `B${b.id}`, unit: '', role: 'reflectance', wavelengthNm: b.nm })), optical: { level: 1, sunElevationDeg: d.sunElevationDeg, sunAzimuthDeg: d.sunAzimuthDeg } };
  return { clean, toa, read: async (...n: Parameters<typeof node>) => (await new Evaluator({ sources: memorySources({ s: { info, bands: toa } }) }).read(node(...n), 0, w)).bands as Float32Array[] };
}

const before = scene(DATES.before), after = scene(DATES.after), errors = (bands: Float32Array[]) => bands.map((b, k) => rmse(b, before.clean[k]!));
const nbr = { formula: '(nir - swir2) / (nir + swir2)', name: 'NBR' }, a = (await before.read('optical.formula', nbr, sourceNode('s')))[0]!, b = (await after.read('optical.formula', nbr, sourceNode('s')))[0]!, cells = [0, 0, 0, 0], sums = [0, 0, 0, 0];
truth.forEach((v, i) => { cells[v]!++; sums[v]! += a[i]! - b[i]!; });
console.log(JSON.stringify({
  errors: { before: errors(before.toa), darkObject: errors(await before.read('optical.surface', { method: 'darkObject' }, sourceNode('s'))), cost: errors(await before.read('optical.surface', { method: 'cost' }, sourceNode('s'))) },
  severityCells: cells, meanDnbr: sums.map((s, k) => s / cells[k]!),
}));

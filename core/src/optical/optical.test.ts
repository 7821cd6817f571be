import { Evaluator } from '../graph/evaluator';
import type { ImageInfo } from '../graph/image';
import { node, sourceNode } from '../change/setup';
import { utm } from '../geodesy/crs';
import { northUp } from '../grid/grid';
import { memorySources } from '../testing/support';
import { INDICES } from './indices';
import { bandOfColour, bandsOfCombination, colourOf } from './wavelengths';

const nm = [443, 482, 561, 655, 865, 1609, 2201], W = 5, H = 3, grid = northUp(utm(27, true), 0, 0, 30, 30, W, H);
const info = (more: Partial<ImageInfo> = {}): ImageInfo => ({ grid, type: 'float32', bands: [...nm.map((wavelengthNm, i) => ({ name: `B${i + 1}`, unit: 'DN', role: 'dn' as const, wavelengthNm, gain: { multiply: 2e-5, add: -0.1 } })), { name: 'quality', unit: '', role: 'quality' }], optical: { level: 1, sunElevationDeg: 30, sunAzimuthDeg: 60 }, ...more });
const cells = nm.map((_v, b) => Float32Array.from({ length: W * H }, (_x, i) => (i === 7 ? NaN : 6000 + 700 * b + 311 * i))), quality = new Float32Array(W * H).fill(64);
const sources = (i = info()) => memorySources({ s: { info: i, bands: [...cells, quality] } }), w = { col: 0, row: 0, width: W, height: H };
const read = async (n: Parameters<Evaluator['read']>[0], i = info()) => (await new Evaluator({ sources: sources(i) }).read(n, 0, w)).bands as Float32Array[];
const toa = node('optical.reflectance', {}, sourceNode('s'));

test('reflectance by gains and the height of the sun; level 2 by scale and offset alone', async () => {
  const r = await read(toa), surface = await read(toa, info({ optical: { level: 2, sunElevationDeg: null, sunAzimuthDeg: null } }));
  // At 30° the sine is one half.
  for (const [b, i] of [[0, 0], [3, 5], [6, 14]] as const) { expect(r[b]![i]! / ((cells[b]![i]! * 2e-5 - 0.1) * 2)).toBeCloseTo(1, 6); expect(surface[b]![i]! / (cells[b]![i]! * 2e-5 - 0.1)).toBeCloseTo(1, 6); }
  expect(r[0]![7]).toBeNaN();
  expect(r[7]![3]).toBe(64);
});
test('what cannot become reflectance is refused with the reason', async () => {
  const say = (i: ImageInfo) => expect(new Evaluator({ sources: sources(i) }).info(toa)).rejects;
  await say(info({ optical: { level: 1, sunElevationDeg: null, sunAzimuthDeg: null } })).toThrow(/how high the sun stood/);
  await say(info({ optical: { level: 1, sunElevationDeg: -3, sunAzimuthDeg: null } })).toThrow(/no reflected light/);
  await say({ ...info(), bands: info().bands.map(({ gain: _g, ...b }) => b) }).toThrow(/Band B1 has no gain/);
  await say({ ...info(), bands: [{ name: 'x', unit: '', role: 'value' }] }).toThrow(/digital numbers/);
});
test.each(INDICES)('$name agrees with its definition written out', async ({ id, formula }) => {
  const out = (await read(node('optical.formula', { formula, name: id }, toa)))[0]!;
  for (let i = 0; i < W * H; i++) {
    const [, B, G, R, N, S1, S2] = cells.map((c) => (c[i]! * 2e-5 - 0.1) * 2) as [number, number, number, number, number, number, number];
    const want = { ndvi: (N - R) / (N + R), savi: ((N - R) / (N + R + 0.5)) * 1.5, evi: (2.5 * (N - R)) / (N + 6 * R - 7.5 * B + 1), nbr: (N - S2) / (N + S2), ndwi: (G - N) / (G + N), mndwi: (G - S1) / (G + S1), ndmi: (N - S1) / (N + S1) }[id]!;
    if (Number.isNaN(want)) expect(out[i]).toBeNaN(); else expect(Math.abs(out[i]! - want)).toBeLessThan(1e-5 * Math.abs(want));
  }
});
test('an index on digital numbers is refused; a formula may name bands and colours', async () => {
  await expect(new Evaluator({ sources: sources() }).info(node('optical.formula', { formula: 'nir - red', name: 'x' }, sourceNode('s')))).rejects.toThrow(/nir holds digital numbers/);
  const [a] = await read(node('optical.formula', { formula: 'B5 - nir + quality', name: 'x' }, toa));
  expect(a![0]).toBe(64);
});
test('bands are found by wavelength, never by number', () => {
  const shuffled = [655, 482, 10895, 865, 561].map((wavelengthNm) => ({ name: '', unit: '', role: 'dn' as const, wavelengthNm }));
  expect([bandOfColour(shuffled, 'red'), bandOfColour(shuffled, 'nir'), bandOfColour(shuffled, 'swir2'), bandOfColour([{ name: 'B4', unit: '', role: 'dn' }], 'red')]).toEqual([0, 3, -1, -1]);
  expect([bandsOfCombination(shuffled, 'natural'), bandsOfCombination(shuffled, 'burn'), colourOf(shuffled[2]!)]).toEqual([[0, 4, 1], null, 'thermal']);
});

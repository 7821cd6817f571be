import { createWriteStream, mkdirSync, writeFileSync } from 'node:fs';
import { once } from 'node:events';
import { join } from 'node:path';
import { COVER, type Ground, WIDTH } from '../ground';
import { plainTiffHeader } from '../plainTiff';
import { generator } from '../random';
import { DATES, HELIO_BANDS, type OpticalDate, PER, cleanReflectance, fireSeverity, opticalGrid } from './ground';

/** Path reflectance of a clear day by band, and what each unit of haze adds; share of light that comes through. */
const PATH = [0.088, 0.067, 0.038, 0.021, 0.009, 0.003, 0.001], HAZE_PATH = [0.9, 0.8, 0.62, 0.48, 0.3, 0.12, 0.06], THROUGH = [0.82, 0.86, 0.9, 0.93, 0.955, 0.97, 0.975];
/** Gain and offset of digital numbers, as the metadata text gives them. */
export const GAIN = 2e-5, OFFSET = -0.1;
const NOISE = 0.0008;

/** Reflectance at the top of the atmosphere over clean ground. */
export const throughAir = (clean: number, band: number, air: number): number => PATH[band]! + air * HAZE_PATH[band]! + clean * THROUGH[band]! * (1 - 0.35 * air);

export const helioName = (d: OpticalDate): string => `HELIO2_L1_${d.time.slice(0, 10).replace(/-/g, '')}`;
export const helioFiles = (d: OpticalDate): string[] => [...HELIO_BANDS.map((b) => `${helioName(d)}_B${b.id}.TIF`), `${helioName(d)}_QA_PIXEL.TIF`, `${helioName(d)}_MTL.txt`];

/** Writes one date: a file a band, quality bits, and the metadata text. Cells outside the frame hold 0 and are fill in the quality band. */
export async function writeHelio(folder: string, g: Ground, d: OpticalDate): Promise<void> {
  mkdirSync(folder, { recursive: true });
  const grid = opticalGrid(), severity = fireSeverity(g), clean = cleanReflectance(g, d, severity), n = grid.width * grid.height, sun = Math.sin((d.sunElevationDeg * Math.PI) / 180), u = generator(d.seed);
  // The frame is a little turned: its corners are fill.
  const inside = (i: number) => { const c = i % grid.width, r = Math.floor(i / grid.width), a = (d.seed % 3) * 4; return c > 14 + a - 0.02 * r && c < grid.width - 8 - 0.018 * r + a; };
  for (const [b, band] of HELIO_BANDS.entries()) {
    const dn = new Uint16Array(n);
    for (let i = 0; i < n; i++) if (inside(i)) dn[i] = Math.max(1, Math.min(65535, Math.round(((throughAir(clean[b]![i]!, b, d.air) + NOISE * (u() + u() - 1)) * sun - OFFSET) / GAIN)));
    await writeBand(join(folder, `${helioName(d)}_B${band.id}.TIF`), dn);
  }
  const quality = new Uint16Array(n);
  // Bit 0 fill, 6 clear, 7 water.
  for (let i = 0; i < n; i++) { const c = i % grid.width, r = Math.floor(i / grid.width); quality[i] = inside(i) ? 64 | (g.cover[(r * PER + 1) * WIDTH + c * PER + 1] === COVER.water ? 128 : 0) : 1; }
  await writeBand(join(folder, `${helioName(d)}_QA_PIXEL.TIF`), quality);
  writeFileSync(join(folder, `${helioName(d)}_MTL.txt`), metadata(d));
}

async function writeBand(path: string, cells: Uint16Array): Promise<void> {
  const grid = opticalGrid(), out = createWriteStream(path);
  out.write(plainTiffHeader({ width: grid.width, height: grid.height, bits: 16, float: false, extra: [[33550, 12, [grid.transform[1], -grid.transform[5], 0]], [33922, 12, [0, 0, 0, grid.transform[0], grid.transform[3], 0]], [34735, 3, [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, Number(grid.crs.code.slice(5))]]] }));
  out.end(new Uint8Array(cells.buffer));
  await once(out, 'finish');
}

function metadata(d: OpticalDate): string {
  const rows = (f: (id: string) => string) => HELIO_BANDS.map((b) => `    ${f(b.id)}`).join('\n'), name = helioName(d);
  return `GROUP = LANDSAT_METADATA_FILE
  GROUP = PRODUCT_CONTENTS
    LANDSAT_PRODUCT_ID = "${name}"
    PROCESSING_LEVEL = "L1TP"
${rows((b) => `FILE_NAME_BAND_${b} = "${name}_B${b}.TIF"`)}
    FILE_NAME_QUALITY_L1_PIXEL = "${name}_QA_PIXEL.TIF"
  END_GROUP = PRODUCT_CONTENTS
  GROUP = IMAGE_ATTRIBUTES
    SPACECRAFT_ID = "HELIO_2"
    SENSOR_ID = "HLI"
    DATE_ACQUIRED = ${d.time.slice(0, 10)}
    SCENE_CENTER_TIME = "${d.time.slice(11, 19)}.0000000Z"
    CLOUD_COVER = 0.00
    SUN_AZIMUTH = ${d.sunAzimuthDeg.toFixed(8)}
    SUN_ELEVATION = ${d.sunElevationDeg.toFixed(8)}
  END_GROUP = IMAGE_ATTRIBUTES
  GROUP = LEVEL1_RADIOMETRIC_RESCALING
${rows((b) => `REFLECTANCE_MULT_BAND_${b} = ${GAIN.toExponential(4).toUpperCase()}`)}
${rows((b) => `REFLECTANCE_ADD_BAND_${b} = ${OFFSET.toFixed(6)}`)}
  END_GROUP = LEVEL1_RADIOMETRIC_RESCALING
END_GROUP = LANDSAT_METADATA_FILE
END
`;
}

/** The dates that stand in the demo's folder. */
export const DEMO_DATES: readonly OpticalDate[] = [DATES.old, DATES.before, DATES.after];

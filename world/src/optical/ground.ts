import { northUp, type Grid } from "@hindglance/core/grid/grid";
import { COVER, type Ground, HEIGHT, ORIGIN, WIDTH, worldGrid } from "../ground";
import { fractal, hash2, noise } from "../random";

/** The seven bands of HELIO2 and their middles in nanometres. */
export const HELIO_BANDS = [
  { id: "1", nm: 443 },
  { id: "2", nm: 482 },
  { id: "3", nm: 561 },
  { id: "4", nm: 655 },
  { id: "5", nm: 865 },
  { id: "6", nm: 1609 },
  { id: "7", nm: 2201 },
] as const;
/** Ground cells of 10 m in an optical cell of 30 m, along a side. */
export const PER = 3;

/** The grid of the optical scenes. */
export const opticalGrid = (): Grid =>
  northUp(
    worldGrid().crs,
    ORIGIN[0],
    ORIGIN[1],
    30,
    30,
    Math.floor(WIDTH / PER),
    Math.floor(HEIGHT / PER),
  );

/** Severity of the Tolm Ridge fire. */
export const SEVERITY = { unburned: 0, low: 1, moderate: 2, high: 3 } as const;
export const SEVERITY_NAMES = ["Unburned", "Low severity", "Moderate severity", "High severity"];

/** Surface reflectance of covers in late summer, coastal blue to shortwave infrared. */
export const SPECTRA: Record<number, readonly number[]> = {
  [COVER.water]: [0.045, 0.042, 0.04, 0.025, 0.012, 0.006, 0.004],
  [COVER.reed]: [0.026, 0.034, 0.06, 0.05, 0.24, 0.14, 0.07],
  [COVER.pasture]: [0.03, 0.042, 0.082, 0.072, 0.31, 0.21, 0.12],
  [COVER.crop]: [0.032, 0.046, 0.086, 0.085, 0.34, 0.24, 0.14],
  [COVER.heath]: [0.024, 0.03, 0.052, 0.058, 0.22, 0.19, 0.11],
  [COVER.wood]: [0.018, 0.022, 0.042, 0.032, 0.28, 0.13, 0.055],
  [COVER.rock]: [0.11, 0.125, 0.15, 0.17, 0.22, 0.28, 0.26],
  [COVER.town]: [0.1, 0.115, 0.135, 0.15, 0.2, 0.22, 0.2],
  [COVER.airfield]: [0.085, 0.095, 0.11, 0.12, 0.14, 0.15, 0.14],
};
/** The open sea is clearer than river and lakes. */
const SEA = [0.031, 0.026, 0.017, 0.008, 0.003, 0.002, 0.001] as const;
const CHAR = [0.028, 0.03, 0.035, 0.042, 0.065, 0.13, 0.16] as const;
/** Water that carries the soil of fields. */
const MUDDY = [0.06, 0.066, 0.082, 0.074, 0.03, 0.011, 0.006] as const;
/** Share of a flooded cell that is water where reeds or houses stand in it. */
const WATER_BETWEEN = 0.45;
/** How far a patch's own vigour changes each band: more leaves, more near infrared, less red. */
const OWN = [-0.15, -0.15, -0.15, -0.45, 0.35, -0.3, -0.3] as const;
/** Share of a cell that is char by severity. */
const BURNED = [0, 0.3, 0.62, 0.93] as const;

/** What a cover adds to the heat: heath feeds a fire, pasture starves it. */
function fuelOf(cover: number): number {
  if (cover === COVER.heath) {
    return 0.12;
  }
  return cover === COVER.pasture ? -0.12 : 0;
}

function severityOf(heat: number): number {
  if (heat < 0.1) {
    return SEVERITY.unburned;
  }
  if (heat < 0.3) {
    return SEVERITY.low;
  }
  return heat < 0.58 ? SEVERITY.moderate : SEVERITY.high;
}

/**
 * How severely each 10 m cell burned: heath, wood and pasture around the ridge, patchy, worst
 * uphill in the middle.
 */
export function fireSeverity(ground: Ground): Uint8Array {
  const out = new Uint8Array(WIDTH * HEIGHT);
  for (let i = 0; i < out.length; i++) {
    const cover = ground.cover[i]!;
    if (cover !== COVER.heath && cover !== COVER.wood && cover !== COVER.pasture) {
      continue;
    }
    const x = (i % WIDTH) / 100;
    const y = Math.floor(i / WIDTH) / 100;
    const distance = Math.hypot((x - 16.9) / 3.3, (y - 4.3) / 1.9);
    const heat =
      1 -
      distance +
      0.3 * fractal(x * 0.8, y * 0.8, 3, 71) +
      0.12 * noise(x * 5, y * 5, 72) +
      fuelOf(cover);
    out[i] = severityOf(heat);
  }
  return out;
}

/** Most severe-by-count class of each optical cell: the truth that maps are scored against. */
export function severityOnGrid(fine: Uint8Array): Uint8Array {
  const grid = opticalGrid();
  const out = new Uint8Array(grid.width * grid.height);
  for (let r = 0; r < grid.height; r++) {
    for (let c = 0; c < grid.width; c++) {
      const n = [0, 0, 0, 0];
      for (let j = 0; j < PER; j++) {
        for (let k = 0; k < PER; k++) {
          n[fine[(r * PER + j) * WIDTH + c * PER + k]!]!++;
        }
      }
      out[r * grid.width + c] = n.indexOf(Math.max(...n));
    }
  }
  return out;
}

/**
 * One date of the optical mission. Vigour: how green plants are against late summer; fire: whether
 * it has burned.
 */
export interface OpticalDate {
  time: string;
  sunElevationDeg: number;
  sunAzimuthDeg: number;
  seed: number;
  vigour: number;
  fire: boolean;
  /** Whether the flood stands. */
  flood?: boolean;
  /** Haze of the whole air: optical depth beyond a clear day. */ air: number;
}
export const DATES = {
  old: {
    time: "2019-01-22T13:12:09Z",
    sunElevationDeg: 56.3,
    sunAzimuthDeg: 62.4,
    seed: 190,
    vigour: 1.04,
    fire: false,
    air: 0.02,
  },
  before: {
    time: "2025-01-22T13:12:31Z",
    sunElevationDeg: 56.1,
    sunAzimuthDeg: 62.1,
    seed: 250,
    vigour: 1,
    fire: false,
    air: 0,
  },
  after: {
    time: "2025-02-15T13:12:27Z",
    sunElevationDeg: 50.7,
    sunAzimuthDeg: 57.8,
    seed: 252,
    vigour: 0.93,
    fire: true,
    air: 0.03,
  },
  /** The scan mirror has failed. */
  gapped: {
    time: "2025-01-06T13:12:24Z",
    sunElevationDeg: 58.4,
    sunAzimuthDeg: 65.7,
    seed: 253,
    vigour: 1.02,
    fire: false,
    air: 0.01,
  },
  /** Haze banks, and clouds with their shadows. */
  hazy: {
    time: "2024-12-21T13:12:18Z",
    sunElevationDeg: 59.2,
    sunAzimuthDeg: 68.3,
    seed: 246,
    vigour: 0.99,
    fire: false,
    air: 0.01,
  },
  /** Lies 1.7 cells off, and is turned by 0.05°. */
  moved: {
    time: "2024-11-19T13:12:20Z",
    sunElevationDeg: 58.6,
    sunAzimuthDeg: 66.0,
    seed: 249,
    vigour: 0.95,
    fire: false,
    air: 0.02,
  },
  /** A granule of 10 and 20 m bands. */
  granule: {
    time: "2025-02-27T13:24:41Z",
    sunElevationDeg: 47.2,
    sunAzimuthDeg: 54.1,
    seed: 258,
    vigour: 0.91,
    fire: true,
    air: 0,
  },
  /** Two neighbouring frames whose tones differ. */
  framed: {
    time: "2025-03-11T13:12:22Z",
    sunElevationDeg: 43.9,
    sunAzimuthDeg: 51.6,
    seed: 255,
    vigour: 0.88,
    fire: true,
    air: 0.01,
  },
  /** The day after the radar saw the flood: broken cloud, the sun low in autumn. */
  flooded: {
    time: "2025-05-15T13:12:26Z",
    sunElevationDeg: 26.4,
    sunAzimuthDeg: 36.8,
    seed: 257,
    vigour: 0.84,
    fire: true,
    flood: true,
    air: 0.01,
  },
} satisfies Record<string, OpticalDate>;

const patches = new WeakMap<Ground, { own: Float32Array; light: Float32Array }>();
/** Patches of ground that are alike on every date: how green for their cover, and how bright. */
function patchesOf(ground: Ground): { own: Float32Array; light: Float32Array } {
  let patch = patches.get(ground);
  if (!patch) {
    const own = new Float32Array(WIDTH * HEIGHT);
    const light = new Float32Array(WIDTH * HEIGHT);
    for (let i = 0; i < own.length; i++) {
      const x = (i % WIDTH) / 100;
      const y = Math.floor(i / WIDTH) / 100;
      own[i] = 0.25 * fractal(x * 1.7, y * 1.7, 3, 60);
      light[i] = 1 + 0.08 * fractal(x * 3.1, y * 3.1, 2, 61);
    }
    patches.set(ground, (patch = { own, light }));
  }
  return patch;
}

/** Land cover as a date sees it. */
export const coverOn = (ground: Ground, date: OpticalDate): Uint8Array =>
  date.time < "2022" ? ground.coverThen : ground.cover;

/** Share of a 10 m cell that the flood covers on a date. */
function waterShare(ground: Ground, date: OpticalDate, cover: number, i: number): number {
  if (!date.flood || cover === COVER.water || ground.waterAfter[i] !== 1) {
    return 0;
  }
  return cover === COVER.reed || cover === COVER.town ? WATER_BETWEEN : 1;
}

/** Clean surface reflectance of one 10 m cell in the seven bands of HELIO2. */
export function spectrumAt(
  ground: Ground,
  date: OpticalDate,
  severity: Uint8Array,
  c: number,
  r: number,
  out: Float64Array,
): void {
  const i = r * WIDTH + c;
  const cover = coverOn(ground, date)[i]!;
  const s = cover === COVER.water && ground.elevation[i] === 0 ? SEA : SPECTRA[cover]!;
  const green =
    cover === COVER.crop ||
    cover === COVER.pasture ||
    cover === COVER.heath ||
    cover === COVER.wood ||
    cover === COVER.reed;
  // Fields and patches differ: some are riper, some stand in better soil. Crops go their own way
  // from date to date.
  const { own: patch, light: bright } = patchesOf(ground);
  const own =
    cover === COVER.crop
      ? 0.6 * (hash2(ground.field[i]! & 65535, ground.field[i]! >>> 16, 9) - 0.5) +
        0.16 * (hash2(ground.field[i]! & 65535, ground.field[i]! >>> 16, date.seed) - 0.5)
      : patch[i]!;
  const light = bright[i]!;
  const burn = date.fire ? BURNED[severity[i]!]! : 0;
  for (let b = 0; b < 7; b++) {
    let value = s[b]! * (cover === COVER.water ? 1 : light);
    if (green) {
      value *= 1 + OWN[b]! * own + (b === 4 ? date.vigour - 1 : 0.5 * (1 - date.vigour));
    }
    const water = waterShare(ground, date, cover, i);
    out[b] = (value * (1 - burn) + CHAR[b]! * burn) * (1 - water) + MUDDY[b]! * water;
  }
}

/**
 * Clean surface reflectance on the optical grid, a band after the other: what a perfect correction
 * would give. `moved`: which 10 m cell a cell shows in place of its own.
 */
export function cleanReflectance(
  ground: Ground,
  date: OpticalDate,
  severity: Uint8Array,
  moved?: (c: number, r: number) => [number, number],
): Float32Array[] {
  const grid = opticalGrid();
  const out = HELIO_BANDS.map(() => new Float32Array(grid.width * grid.height));
  const share = 1 / (PER * PER);
  const s = new Float64Array(7);
  for (let r = 0; r < grid.height * PER; r++) {
    for (let c = 0; c < grid.width * PER; c++) {
      const [sc, sr] = moved ? moved(c, r) : [c, r];
      const offset = Math.floor(r / PER) * grid.width + Math.floor(c / PER);
      spectrumAt(ground, date, severity, sc, sr, s);
      for (let b = 0; b < 7; b++) {
        out[b]![offset]! += share * s[b]!;
      }
    }
  }
  return out;
}

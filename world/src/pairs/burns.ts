import { fractal, generator, hash2, noise } from "../random";
import { GROUND_SIDE, LAND, type Landscape, placeOf } from "./landscape";

/** What a pair of optical dates goes through. */
export interface OpticalWeather {
  seed: number;
  /** A fire, of so many kilometres across. */
  burnKm?: number;
  /** Share of the fields that were harvested between the dates. */
  harvested?: number;
  /** How the season moved plants on the after date: more than 1 is greener. */
  season?: number;
  /** Reflectance that haze adds to blue on the after date; less to longer waves. */
  haze?: number;
  /** The flood of the ground is there on the after date. */
  flooded?: boolean;
  /** Shadows of clouds on the after date. */
  shadows?: boolean;
}

/** Bands of the made-up sensor, nanometres. */
export const OPTICAL_BANDS = [
  { name: "B2", nm: 482 },
  { name: "B3", nm: 561 },
  { name: "B4", nm: 655 },
  { name: "B5", nm: 865 },
  { name: "B6", nm: 1609 },
  { name: "B7", nm: 2201 },
] as const;
/** Ground cells along a side of an optical cell. */
export const OPTICAL_WIDE = 3;
export const OPTICAL_SIDE = GROUND_SIDE / OPTICAL_WIDE;

const SPECTRA: Record<number, readonly number[]> = {
  [LAND.water]: [0.042, 0.04, 0.025, 0.012, 0.006, 0.004],
  [LAND.field]: [0.04, 0.075, 0.055, 0.38, 0.22, 0.11],
  [LAND.pasture]: [0.042, 0.082, 0.072, 0.31, 0.21, 0.12],
  [LAND.wood]: [0.022, 0.042, 0.032, 0.28, 0.13, 0.055],
  [LAND.reed]: [0.034, 0.06, 0.05, 0.24, 0.14, 0.07],
  [LAND.town]: [0.115, 0.135, 0.15, 0.2, 0.22, 0.2],
  [LAND.sand]: [0.16, 0.21, 0.26, 0.32, 0.38, 0.36],
  [LAND.heath]: [0.03, 0.052, 0.058, 0.22, 0.19, 0.11],
};
const STUBBLE = [0.085, 0.125, 0.175, 0.27, 0.34, 0.27] as const;
const CHAR = [0.03, 0.035, 0.042, 0.065, 0.13, 0.16] as const;
/** How far a place's own vigour changes each band. */
const VIGOUR = [-0.15, -0.12, -0.4, 0.3, -0.25, -0.3] as const;
/** How much of the haze in blue each band gets. */
const HAZE = [1, 0.7, 0.5, 0.22, 0.05, 0.02] as const;
const NOISE = 0.004;

/** Share of char on a cell of the ground after the fire, 0 to 1. */
export function burnedShare(ground: Landscape, { burnKm = 0, seed }: OpticalWeather, i: number) {
  if (burnKm === 0 || ground.water[i] || ground.land[i] === LAND.town) {
    return 0;
  }
  const [x, y] = placeOf(i);
  const off = Math.hypot(x - 7.4, (y - 4.2) * 1.3) / burnKm;
  const heat = 1 - off + 0.35 * fractal(x * 1.5, y * 1.5, 4, seed + 70);
  if (heat < 0.25) {
    return 0;
  }
  return Math.min(0.95, 0.28 + 0.9 * (heat - 0.25));
}

/** Whether a field was harvested between the dates. */
export const isHarvested = (ground: Landscape, weather: OpticalWeather, i: number): boolean =>
  ground.land[i] === LAND.field &&
  hash2(ground.field[i]! >>> 8, ground.field[i]! & 255, weather.seed + 9) <
    (weather.harvested ?? 0);

/** Vigour of what grows in a place, from date to date the same. */
const kept = new WeakMap<Landscape, Float64Array>();

/** Vigour by the cell of the ground. */
function vigourOf(ground: Landscape): Float64Array {
  const known = kept.get(ground);
  if (known) {
    return known;
  }
  const vigour = Float64Array.from(ground.land, (_, i) => {
    const [x, y] = placeOf(i);
    return 0.5 * fractal(x * 1.8, y * 1.8, 3, 90);
  });
  kept.set(ground, vigour);
  return vigour;
}

/** Writes what grows on a cell of the ground on a date, in every band: plants, stubble or water. */
function growOn(
  ground: Landscape,
  weather: OpticalWeather,
  isAfter: boolean,
  i: number,
  into: Float64Array,
): void {
  const isFlooded = isAfter && !!weather.flooded && ground.flooded[i] === 1;
  if (isAfter && !isFlooded && isHarvested(ground, weather, i)) {
    const [x, y] = placeOf(i);
    const soil = 1 + 0.08 * fractal(x * 3, y * 3, 2, 91);
    for (let band = 0; band < into.length; band++) {
      into[band] = STUBBLE[band]! * soil;
    }
    return;
  }
  const land = isFlooded ? LAND.water : ground.land[i]!;
  const isPlant = land !== LAND.water && land !== LAND.town && land !== LAND.sand;
  const own = isPlant ? vigourOf(ground)[i]! : 0;
  const season = isPlant && isAfter ? (weather.season ?? 1) - 1 : 0;
  const spectrum = SPECTRA[land]!;
  for (let band = 0; band < into.length; band++) {
    into[band] = spectrum[band]! * (1 + VIGOUR[band]! * (own + 1.5 * season));
  }
}

/** Writes the reflectance of a cell of the ground in every band. */
function reflect(
  ground: Landscape,
  weather: OpticalWeather,
  isAfter: boolean,
  i: number,
  into: Float64Array,
): void {
  growOn(ground, weather, isAfter, i, into);
  if (!isAfter) {
    return;
  }
  const [x, y] = placeOf(i);
  const char = burnedShare(ground, weather, i);
  const isShaded = weather.shadows && noise(x * 0.9 + 7, y * 0.9, weather.seed + 5) > 0.55;
  const haze = weather.haze ? weather.haze * (1 + 0.5 * noise(x * 0.4, y * 0.4, weather.seed)) : 0;
  for (let band = 0; band < into.length; band++) {
    const burned = (1 - char) * into[band]! + char * CHAR[band]!;
    const dimmed = band < 3 ? 0.55 : 0.4;
    into[band] = burned * (isShaded ? dimmed : 1) + haze * HAZE[band]!;
  }
}

/** Bands of one date: means over OPTICAL_WIDE ground cells a side, with the instrument's noise. */
export function opticalBands(
  ground: Landscape,
  weather: OpticalWeather,
  isAfter: boolean,
): Float32Array[] {
  const random = generator(weather.seed * 131 + (isAfter ? 1 : 0));
  const side = OPTICAL_SIDE;
  const bands = OPTICAL_BANDS.map(() => new Float32Array(side * side));
  const share = 1 / OPTICAL_WIDE ** 2;
  const cell = new Float64Array(bands.length);
  for (let i = 0; i < ground.land.length; i++) {
    const row = Math.floor(i / GROUND_SIDE / OPTICAL_WIDE);
    const at = row * side + Math.floor((i % GROUND_SIDE) / OPTICAL_WIDE);
    reflect(ground, weather, isAfter, i, cell);
    for (let band = 0; band < cell.length; band++) {
      bands[band]![at]! += share * cell[band]!;
    }
  }
  return bands.map((band) =>
    band.map((value) => {
      const spread = Math.sqrt(-2 * Math.log(1 - random())) * Math.cos(2 * Math.PI * random());
      return value + NOISE * spread;
    }),
  );
}

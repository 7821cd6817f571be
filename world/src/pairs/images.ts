import { gammaMean1, generator, fractal, hash2, noise } from "../random";
import { type SmallThing, putThings } from "../smallThings";
import { smallThingsOn } from "./smallThings";
import { CELLS_WIDE, GROUND_CELL, GROUND_SIDE, LAND, type Landscape, placeOf } from "./landscape";

/** The state of the ground and of the instrument on one date. */
export interface Weather {
  seed: number;
  /** The flood is there. */
  flooded?: boolean;
  /** dB that wind adds to open water, in VV; a fifth of it in VH. */
  windDb?: number;
  /** dB that wet soil adds to fields and pasture in VV; half of it in VH. */
  wetDb?: number;
  /** dB that wet snow takes away over this height in metres. */
  wetSnow?: { fromM: number; db: number };
  /** Share of the fields that were worked since, which changes them by up to 4 dB either way. */
  worked?: number;
  /** dB that standing water adds to reeds and wood in VV; a fifth of it in VH. */
  stemsDb?: number;
  /** Noise-equivalent sigma nought in dB, and by how much it differs from what the file says. */
  noiseDb?: number;
  noiseErrorDb?: number;
  /** Strength of open water, dB in VV. */
  waterDb?: number;
  /** Seed of the small things of the scene, and which of them stand there. */
  things?: { seed: number; date: SmallThing["on"] };
}

/** How the instrument sees the ground. */
export interface Instrument {
  /** Looks of one ground cell. */
  looks: number;
  incidenceDeg: number;
  /** The beam comes from the east (a right-looking pass to the south), or from the west. */
  from: "east" | "west";
  /** Slopes keep their light and shade. */
  lit: boolean;
}

/** Sigma nought of level dry ground in dB, [VV, VH]. */
const LEVELS: Record<number, readonly [number, number]> = {
  [LAND.field]: [-10.6, -17.4],
  [LAND.pasture]: [-12.1, -19.2],
  [LAND.wood]: [-8.6, -14],
  [LAND.reed]: [-10, -17],
  [LAND.town]: [-4, -12],
  [LAND.sand]: [-17.2, -26.5],
  [LAND.heath]: [-11.4, -17.8],
};

/** What standing water does to the cover that it reaches: stems and walls send the beam back. */
const BRIGHTER: readonly number[] = [LAND.reed, LAND.wood];

/** Dry ground where nothing was worked, wetted or snowed upon, [VV, VH]. */
interface DryGround {
  db: readonly [Float32Array, Float32Array];
  power: readonly [Float64Array, Float64Array];
}
/** What of a landscape does not change from date to date. */
const kept = new WeakMap<Landscape, DryGround>();

const powerOf = (db: number): number => 10 ** (db / 10);

/** What dry ground gives back. */
function dryGround(ground: Landscape): DryGround {
  const known = kept.get(ground);
  if (known) {
    return known;
  }
  const n = GROUND_SIDE * GROUND_SIDE;
  const levels = [new Float32Array(n), new Float32Array(n)] as const;
  for (let i = 0; i < n; i++) {
    const land = ground.land[i]!;
    let [vv, vh] = LEVELS[land] ?? [0, 0];
    if (land === LAND.field) {
      const crop = hash2(ground.field[i]! & 65535, ground.field[i]! >>> 16, 5) - 0.5;
      vv += 3.6 * crop;
      vh += 4 * crop;
    }
    if (land !== LAND.sand && land !== LAND.water) {
      const [x, y] = placeOf(i);
      const texture = 0.7 * fractal(x * 2.4, y * 2.4, 3, 40);
      vv += texture;
      vh += texture;
    }
    levels[0][i] = vv;
    levels[1][i] = vh;
  }
  const made: DryGround = {
    db: levels,
    power: [Float64Array.from(levels[0], powerOf), Float64Array.from(levels[1], powerOf)],
  };
  kept.set(ground, made);
  return made;
}

/** dB that a date adds to dry ground, [VV, VH]. */
function addedTo(ground: Landscape, weather: Weather, i: number): [number, number] {
  const { worked = 0, wetDb = 0, wetSnow, seed } = weather;
  const land = ground.land[i]!;
  const field = ground.field[i]!;
  let vv = 0;
  let vh = 0;
  if (land === LAND.field && worked > 0 && hash2(field >>> 8, field & 255, seed) < worked) {
    const by = 8 * (hash2(field, 3, seed) - 0.5);
    vv += by;
    vh += by;
  }
  if (wetDb !== 0 && (land === LAND.field || land === LAND.pasture)) {
    const [x, y] = placeOf(i);
    const wet = wetDb * (1 + 0.6 * noise(x * 0.6, y * 0.6, seed + 1));
    vv += wet;
    vh += 0.5 * wet;
  }
  if (wetSnow && ground.elevation[i]! > wetSnow.fromM) {
    vv -= wetSnow.db;
    vh -= wetSnow.db;
  }
  return [vv, vh];
}

/** dB of a cell under water, [VV, VH]. @param dry what it shows when it is dry */
function underWater(
  land: number,
  weather: Weather,
  i: number,
  [vv, vh]: [number, number],
): [number, number] {
  if (BRIGHTER.includes(land)) {
    const stems = weather.stemsDb ?? 4;
    return [vv + stems, vh + stems / 5];
  }
  if (land === LAND.town) {
    return [LEVELS[land]![0] + 1.5, LEVELS[land]![1] + 0.4];
  }
  const [x, y] = placeOf(i);
  const wind = weather.windDb ?? 0;
  const swell = 0.6 * noise(x * 1.1, y * 1.1, weather.seed + 2);
  const gusts = wind ? wind * (1 + 0.15 * noise(x, y, weather.seed + 3)) : 0;
  return [(weather.waterDb ?? -21) + gusts + swell, -29 + wind / 5];
}

/** Power of the ground relative to level ground by its slope along the beam; 0 in shadow. */
export function lightOf(elevation: Float32Array, { incidenceDeg, from }: Instrument): Float32Array {
  const out = new Float32Array(elevation.length);
  const theta = (incidenceDeg * Math.PI) / 180;
  const sign = from === "east" ? 1 : -1;
  const fall = GROUND_CELL / Math.tan(theta);
  for (let r = 0; r < GROUND_SIDE; r++) {
    let horizon = -Infinity;
    for (let k = 0; k < GROUND_SIDE; k++) {
      const c = sign > 0 ? GROUND_SIDE - 1 - k : k;
      const i = r * GROUND_SIDE + c;
      const east = elevation[r * GROUND_SIDE + Math.min(GROUND_SIDE - 1, c + 1)]!;
      const west = elevation[r * GROUND_SIDE + Math.max(0, c - 1)]!;
      const rise = (sign * (east - west)) / (2 * GROUND_CELL);
      const local = (Math.cos(theta) - rise * Math.sin(theta)) / Math.hypot(1, rise);
      horizon -= fall;
      out[i] = elevation[i]! < horizon ? 0 : Math.max(0.01, local / Math.cos(theta)) ** 1.6;
      horizon = Math.max(horizon, elevation[i]!);
    }
  }
  return out;
}

/** Sigma nought of the ground on a date, without speckle and noise: linear power, [VV, VH]. */
export function cleanOf(ground: Landscape, weather: Weather, instrument: Instrument) {
  const n = GROUND_SIDE * GROUND_SIDE;
  const vv = new Float32Array(n);
  const vh = new Float32Array(n);
  const light = instrument.lit ? lightOf(ground.elevation, instrument) : null;
  const water = weather.flooded ? ground.flooded : ground.water;
  const { db, power } = dryGround(ground);
  for (let i = 0; i < n; i++) {
    const added = addedTo(ground, weather, i);
    const lit = light && !water[i] ? light[i]! : 1;
    if (!water[i] && added[0] === 0 && added[1] === 0) {
      vv[i] = lit * power[0][i]!;
      vh[i] = lit * power[1][i]!;
      continue;
    }
    const dry: [number, number] = [db[0][i]! + added[0], db[1][i]! + added[1]];
    const [a, b] = water[i] ? underWater(ground.land[i]!, weather, i, dry) : dry;
    vv[i] = lit * powerOf(a);
    vh[i] = lit * powerOf(b);
  }
  return [vv, vh] as const;
}

/**
 * Images of a date, [VV, VH], on cells CELLS_WIDE ground cells wide: gamma speckle and noise on
 * every ground cell, the noise that the file states taken off, then the mean of power. Power that
 * noise leaves at or below nought stays so.
 */
export function imagesOf(ground: Landscape, weather: Weather, instrument: Instrument) {
  const bands = cleanOf(ground, weather, instrument);
  if (weather.things) {
    const { seed, date } = weather.things;
    putThings(bands, GROUND_SIDE, smallThingsOn(ground, seed), date);
  }
  return bands.map((clean, band) =>
    speckled(clean, weather, instrument.looks, weather.seed * 7919 + band),
  );
}

function speckled(clean: Float32Array, weather: Weather, looks: number, seed: number) {
  const random = generator(seed);
  const side = GROUND_SIDE / CELLS_WIDE;
  const out = new Float32Array(side * side);
  const stated = 10 ** ((weather.noiseDb ?? -31) / 10);
  // Noise of a wide swath: a scallop along the beam, in error from burst to burst.
  const scallops = Float64Array.from(
    { length: GROUND_SIDE },
    (_, c) => 10 ** (0.12 * Math.cos((c / GROUND_SIDE) * 18)),
  );
  for (let r = 0; r < GROUND_SIDE; r++) {
    for (let c = 0; c < GROUND_SIDE; c++) {
      const scallop = scallops[c]!;
      const error = weather.noiseErrorDb
        ? 10 ** ((weather.noiseErrorDb * noise(c / 37, r / 160, seed)) / 10)
        : 1;
      const power =
        (clean[r * GROUND_SIDE + c]! + stated * scallop * error) * gammaMean1(looks, random);
      out[Math.floor(r / CELLS_WIDE) * side + Math.floor(c / CELLS_WIDE)]! +=
        power - stated * scallop;
    }
  }
  return out.map((sum) => sum / CELLS_WIDE ** 2);
}

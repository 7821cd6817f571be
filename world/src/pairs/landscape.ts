import { fractal, hash2, noise } from "../random";

/** Cells of the ground of a pair, and of its images: an image cell is two ground cells wide. */
export const GROUND_SIDE = 1200;
export const CELLS_WIDE = 2;
/** Metres. */
export const GROUND_CELL = 10;

/** Kilometres east and south of the corner, by the cell of the ground. */
export const placeOf = (i: number): [x: number, y: number] => [
  ((i % GROUND_SIDE) + 0.5) * (GROUND_CELL / 1000),
  (Math.floor(i / GROUND_SIDE) + 0.5) * (GROUND_CELL / 1000),
];

/** What grows or stands on a cell of the ground. */
export const LAND = {
  water: 1,
  field: 2,
  pasture: 3,
  wood: 4,
  reed: 5,
  town: 6,
  sand: 7,
  heath: 8,
} as const;

/** What a landscape is made of. */
export interface LandscapeKind {
  seed: number;
  /** A river with its plain; without one there are only hills. */
  river: boolean;
  lake: boolean;
  /** Height of the hills beside the plain, metres. */
  hillsM: number;
  /** A field of dark dry sand, away from the river. */
  sand: boolean;
  /** Woods and reeds on the plain. */
  plants: boolean;
  /** How uneven the plain is, as a share of the usual: even ground floods in smooth shapes. */
  roughness: number;
  /** Metres over the river that a flood stands; 0: none. */
  floodM: number;
  /** The flood reaches so far from the middle of the scene, kilometres. */
  floodReachKm: number;
}

/** Ground of a pair that is known cell by cell. */
export interface Landscape {
  elevation: Float32Array;
  land: Uint8Array;
  /** A number for each field of the farmland. */
  field: Int32Array;
  /** Water before the event, and after it: 1. */
  water: Uint8Array;
  flooded: Uint8Array;
}

const PLAIN_KM = 2.1;
const SIDE_KM = (GROUND_SIDE * GROUND_CELL) / 1000;
/** Kilometres south of the upper edge where the river runs, by kilometres east. */
const riverAt = (x: number, seed: number): number =>
  SIDE_KM / 2 + 0.8 * Math.sin(x * 0.75 + seed) + 0.25 * Math.sin(x * 2.1 + 2 * seed);
const smooth = (from: number, to: number, x: number): number => {
  const t = Math.max(0, Math.min(1, (x - from) / (to - from)));
  return t * t * (3 - 2 * t);
};
const inEllipse = (x: number, y: number, [cx, cy, rx, ry]: readonly number[]): boolean =>
  ((x - cx!) / rx!) ** 2 + ((y - cy!) / ry!) ** 2 <
  1 + 0.2 * Math.sin(4 * Math.atan2(y - cy!, x - cx!));

const LAKE = [9.3, 2.4, 1.2, 0.8] as const;
const SAND = [3, 9.9, 1.1, 0.8] as const;

/** Kilometres to the river; far where there is none. */
const offRiver = ({ river, seed }: LandscapeKind, x: number, y: number): number =>
  river ? Math.abs(y - riverAt(x, seed)) : 9;

/** Height of the plain over the sea, and of the hills over it. */
function heightAt(kind: LandscapeKind, x: number, y: number): number {
  const { seed, hillsM } = kind;
  const off = offRiver(kind, x, y);
  const hilly = kind.river ? smooth(PLAIN_KM - 0.6, PLAIN_KM + 1.6, off) : 1;
  const relief = 1 - Math.abs(fractal(x * 0.5, y * 0.5, 5, seed + 3));
  const hills = 12 + hillsM * Math.max(0, relief - 0.35) + 6 * fractal(x * 2, y * 2, 3, seed + 4);
  const plain =
    20 -
    0.9 * x +
    0.9 * Math.min(off, PLAIN_KM) +
    kind.roughness *
      (0.7 * fractal(x * 1.7, y * 1.7, 4, seed + 5) + 0.25 * fractal(x * 7, y * 7, 2, seed + 6));
  return plain + hilly * (hills + 0.9 * (off - PLAIN_KM));
}

/** Cover of dry ground. */
function landAt(kind: LandscapeKind, x: number, y: number, z: number): number {
  const { seed } = kind;
  const off = offRiver(kind, x, y);
  const rough = fractal(x * 0.8, y * 0.8, 4, seed + 10);
  if (kind.sand && inEllipse(x, y, SAND)) {
    return LAND.sand;
  }
  const hasWoods = kind.plants || off > PLAIN_KM;
  if (kind.plants && off < 0.35 && fractal(x * 1.3, y * 1.3, 3, seed + 9) > 0.3) {
    return LAND.reed;
  }
  if (kind.river && Math.hypot(x - 6.2, y - riverAt(6.2, seed) - 1.1) < 0.5) {
    return LAND.town;
  }
  if (hasWoods && rough > 0.32) {
    return LAND.wood;
  }
  if (off < PLAIN_KM) {
    return rough > -0.4 ? LAND.field : LAND.pasture;
  }
  return z > 90 && rough < 0 ? LAND.heath : LAND.pasture;
}

/** Number of the field that a place belongs to: long strips, a little turned. */
function fieldAt(x: number, y: number, seed: number): number {
  const turn = 0.25 + 0.2 * noise(x * 0.2, y * 0.2, seed + 7);
  const along = x * Math.cos(turn) + y * Math.sin(turn);
  const across = -x * Math.sin(turn) + y * Math.cos(turn);
  const strip = Math.floor(across / 0.16);
  const parcel = Math.floor(along / 0.42 + hash2(strip, 0, seed + 8));
  return (Math.imul(strip, 73856093) ^ Math.imul(parcel, 19349663)) & 0x7fffffff;
}

/** Ground of a pair from its seed. */
export function landscapeOf(kind: LandscapeKind): Landscape {
  const n = GROUND_SIDE * GROUND_SIDE;
  const made: Landscape = {
    elevation: new Float32Array(n),
    land: new Uint8Array(n),
    field: new Int32Array(n),
    water: new Uint8Array(n),
    flooded: new Uint8Array(n),
  };
  for (let i = 0; i < n; i++) {
    const [x, y] = placeOf(i);
    layCell(kind, made, i, x, y);
  }
  made.flooded.set(made.water);
  if (kind.floodM > 0) {
    spread(kind, made);
  }
  return made;
}

function layCell(kind: LandscapeKind, made: Landscape, i: number, x: number, y: number): void {
  const z = heightAt(kind, x, y);
  const off = offRiver(kind, x, y);
  made.elevation[i] = z;
  made.field[i] = fieldAt(x, y, kind.seed);
  if (kind.river && off < 0.07) {
    made.elevation[i] = 20 - 0.9 * x - 1.5;
    made.water[i] = 1;
  } else if (kind.lake && inEllipse(x, y, LAKE)) {
    made.elevation[i] = 60;
    made.water[i] = 1;
  }
  made.land[i] = made.water[i] ? LAND.water : landAt(kind, x, y, z);
}

/** Lets the flood run from the river over all low ground that it reaches. */
function spread({ floodM, floodReachKm }: LandscapeKind, { elevation, water, flooded }: Landscape) {
  const queue: number[] = [];
  const isInReach = (i: number): boolean =>
    Math.abs((((i % GROUND_SIDE) + 0.5) * GROUND_CELL) / 1000 - SIDE_KM / 2) < floodReachKm;
  const level = (i: number): number =>
    20 - (0.9 * ((i % GROUND_SIDE) + 0.5) * GROUND_CELL) / 1000 + floodM;
  for (let i = 0; i < water.length; i++) {
    if (water[i] && isInReach(i) && elevation[i]! < level(i)) {
      queue.push(i);
    }
  }
  for (let k = 0; k < queue.length; k++) {
    const i = queue[k]!;
    const col = i % GROUND_SIDE;
    const next = [i - GROUND_SIDE, i + GROUND_SIDE];
    if (col > 0) {
      next.push(i - 1);
    }
    if (col < GROUND_SIDE - 1) {
      next.push(i + 1);
    }
    for (const j of next) {
      if (j >= 0 && j < water.length && !flooded[j] && isInReach(j) && elevation[j]! < level(j)) {
        flooded[j] = 1;
        queue.push(j);
      }
    }
  }
}

import { utm } from "@hindglance/core/geodesy/crs";
import { type Grid, northUp } from "@hindglance/core/grid/grid";
import { basinAt, basinField, isLake } from "./basin";
import { fractal, hash2, noise } from "./random";

/** Land cover of the island. Water is water before the flood: sea, river, lakes. */
export const COVER = {
  water: 1,
  reed: 2,
  pasture: 3,
  crop: 4,
  heath: 5,
  wood: 6,
  rock: 7,
  town: 8,
  airfield: 9,
} as const;

export const CELL = 10;
export const WIDTH = 2400;
export const HEIGHT = 2000;
export const ORIGIN: [number, number] = [488000, 5182000];
/**
 * Kilometres from the island's west and north edges; the same numbers are used for every place
 * below.
 */
const km = (cell: number) => (cell * CELL) / 1000;

export interface Ground {
  grid: Grid;
  /** Height above the sea in metres. */
  elevation: Float32Array;
  /** Land cover of 2025. */
  cover: Uint8Array;
  /** Land cover of 2019, which differs in the Quill Basin. */
  coverThen: Uint8Array;
  /** Number of the field a cell belongs to: cells of one field share their crop. */
  field: Int32Array;
  /** Water after the dam gave way. */
  waterAfter: Uint8Array;
}

/** The grid of the island's ground. */
export const worldGrid = (): Grid =>
  northUp(utm(27, true), ORIGIN[0], ORIGIN[1], CELL, CELL, WIDTH, HEIGHT);

/** Course of the Ombrel: kilometres south of the north edge, by kilometres east. */
export const riverNorthing = (x: number): number =>
  10.4 + 0.9 * Math.sin(x * 0.62) + 0.45 * Math.sin(x * 1.37 + 1) + 0.12 * Math.sin(x * 4.1);
const SOURCE_X = 2.4;
const MOUTH_X = 22.9;
const DAM_X = 5.6;
const smooth = (a: number, b: number, x: number) => {
  const t = Math.max(0, Math.min(1, (x - a) / (b - a)));
  return t * t * (3 - 2 * t);
};
const plainHeight = (x: number) => 0.8 + 1.55 * Math.max(0, MOUTH_X - x);
const riverHalfWidth = (x: number) => 0.035 + 0.045 * smooth(4, 21, x) + 0.012 * Math.sin(x * 3.3);

/**
 * Ground of Corvane from its seed: elevation, land cover, and the water before and after the Ombrel
 * flood.
 */
export function buildGround(seed: number): Ground {
  const n = WIDTH * HEIGHT;
  const elevation = new Float32Array(n);
  const cover = new Uint8Array(n);
  const field = new Int32Array(n);
  const flat = new Float32Array(n);
  for (let r = 0; r < HEIGHT; r++) {
    const y = km(r + 0.5);
    for (let c = 0; c < WIDTH; c++) {
      const x = km(c + 0.5);
      const i = r * WIDTH + c;
      const shore =
        1 -
        ((x - 12) / 11.6) ** 2 -
        ((y - 10) / 9.4) ** 2 +
        0.22 * fractal(x * 0.45, y * 0.45, 4, seed + 1);
      if (shore <= 0) {
        elevation[i] = 0;
        flat[i] = 0;
        continue;
      }
      const distance = Math.abs(y - riverNorthing(x));
      const half = 1.25 + 0.75 * smooth(6, 12, x) + 0.45 * noise(x * 0.5, y * 0.12, seed + 2);
      const position = 1 - smooth(half, half + 2.6, distance);
      const ridge = 1 - Math.abs(fractal(x * 0.28, y * 0.28, 5, seed + 3));
      const tolm = Math.exp(
        -(((x - 16.8) * 0.8 + (y - 4.4) * 0.6) ** 2) / 9 -
          (-(x - 16.8) * 0.6 + (y - 4.4) * 0.8) ** 2 / 0.9,
      );
      const quill = Math.exp(-((x - 10.5) ** 2) / 5 - (y - 16.4) ** 2 / 1.7);
      let hills =
        35 +
        430 * Math.max(0, ridge - 0.52) * 1.7 +
        330 * tolm +
        40 * fractal(x * 1.6, y * 1.6, 4, seed + 4);
      hills = hills * (1 - 0.92 * quill) + 9 * quill;
      const micro =
        1.15 * fractal(x * 1.1, y * 1.1, 4, seed + 5) + 0.35 * fractal(x * 6, y * 6, 2, seed + 6);
      const plain = plainHeight(x) + micro + 0.55 * distance;
      const inland = smooth(0, 0.16, shore);
      const z = (plain * position + hills * (1 - position)) * inland;
      elevation[i] = Math.max(0.2, Math.min(620, z));
      flat[i] = position;
    }
  }
  carveWater(elevation, cover);
  layCover(elevation, flat, cover, field, seed);
  const coverThen = layBasin(elevation, cover, field, seed);
  const waterAfter = floodedAfter(elevation, cover);
  return { grid: worldGrid(), elevation, cover, coverThen, field, waterAfter };
}

/** Lays the floor of the Quill Basin into cover and fields; gives the cover of 2019. */
function layBasin(
  elevation: Float32Array,
  cover: Uint8Array,
  field: Int32Array,
  seed: number,
): Uint8Array {
  const then = cover.slice();
  for (let i = 0; i < cover.length; i++) {
    const x = km((i % WIDTH) + 0.5);
    const y = km(Math.floor(i / WIDTH) + 0.5);
    const became = elevation[i] === 0 ? null : basinAt(x, y, elevation[i]!, seed);
    if (became) {
      cover[i] = COVER[became.now];
      then[i] = COVER[became.then];
      field[i] = basinField(x, y, seed);
    }
  }
  return then;
}

/** Lays the sea, the river and two lakes into elevation and cover. */
function carveWater(elevation: Float32Array, cover: Uint8Array): void {
  for (let r = 0; r < HEIGHT; r++) {
    for (let c = 0; c < WIDTH; c++) {
      const x = km(c + 0.5);
      const y = km(r + 0.5);
      const i = r * WIDTH + c;
      if (elevation[i] === 0) {
        cover[i] = COVER.water;
        continue;
      }
      const distance = Math.abs(y - riverNorthing(x));
      if (x > SOURCE_X && x < MOUTH_X + 1 && distance < riverHalfWidth(x)) {
        cover[i] = COVER.water;
        elevation[i] = Math.max(0, Math.min(elevation[i]!, plainHeight(x) - 1.6));
      }
      // The lake that a landslide held back above the dam.
      if (
        x > SOURCE_X + 0.5 &&
        x < DAM_X &&
        distance < 0.62 &&
        elevation[i]! < plainHeight(DAM_X) + 2.4 + 1.2 * (DAM_X - x)
      ) {
        cover[i] = COVER.water;
      }
      if (isLake(x, y)) {
        cover[i] = COVER.water;
        elevation[i] = Math.min(elevation[i]!, 6);
      }
    }
  }
}

/** Corner of the airfield and size, in kilometres: level, smooth, dark on every date. */
export const AIRFIELD = { x: 13.1, y: 7.55, width: 1.9, height: 0.32 };
export const TOWNS = [
  { name: "Sallowmere", x: 12.6, y: 11.95, radius: 0.55 },
  { name: "Brackwater", x: 20.9, y: 9.0, radius: 0.8 },
] as const;

function layCover(
  elevation: Float32Array,
  flat: Float32Array,
  cover: Uint8Array,
  field: Int32Array,
  seed: number,
): void {
  for (let r = 0; r < HEIGHT; r++) {
    for (let c = 0; c < WIDTH; c++) {
      const i = r * WIDTH + c;
      if (cover[i] === COVER.water) {
        continue;
      }
      const x = km(c + 0.5);
      const y = km(r + 0.5);
      const z = elevation[i]!;
      const distance = Math.abs(y - riverNorthing(x));
      if (
        x >= AIRFIELD.x &&
        x < AIRFIELD.x + AIRFIELD.width &&
        y >= AIRFIELD.y &&
        y < AIRFIELD.y + AIRFIELD.height
      ) {
        cover[i] = COVER.airfield;
        elevation[i] = plainHeight(AIRFIELD.x) + 4.5;
        continue;
      }
      const town = TOWNS.find(
        (t) =>
          Math.hypot(x - t.x, (y - t.y) * 1.25) <
          t.radius * (1 + 0.35 * noise(x * 3, y * 3, seed + 20)),
      );
      if (town) {
        cover[i] = COVER.town;
        continue;
      }
      // Fields: long parcels, each row of them shifted, turned a little against the grid.
      const a = 0.2 + 0.25 * noise(x * 0.22, y * 0.22, seed + 7);
      const across = x * Math.cos(a) + y * Math.sin(a);
      const value = -x * Math.sin(a) + y * Math.cos(a);
      const strip = Math.floor(value / 0.17);
      const parcel = Math.floor(across / 0.38 + hash2(strip, 0, seed + 8));
      const id = (Math.imul(strip, 73856093) ^ Math.imul(parcel, 19349663)) & 0x7fffffff;
      field[i] = id;
      const wet = fractal(x * 0.9, y * 0.9, 3, seed + 9);
      const rough = fractal(x * 0.7, y * 0.7, 4, seed + 10);
      if (flat[i]! > 0.55) {
        if (distance < riverHalfWidth(x) + 0.05 && wet > 0.32) {
          cover[i] = COVER.reed;
        } else if (rough > 0.5) {
          cover[i] = COVER.wood;
        } else {
          cover[i] = hash2(strip, parcel, seed + 11) < 0.58 ? COVER.crop : COVER.pasture;
        }
      } else if (z > 420 + 60 * rough) {
        cover[i] = COVER.rock;
      } else if (z > 230 + 70 * rough) {
        cover[i] = COVER.heath;
      } else if (rough + wet * 0.5 > 0.08) {
        cover[i] = COVER.wood;
      } else if (z < 20 && wet > 0.35) {
        cover[i] = COVER.reed;
      } else {
        cover[i] = rough > -0.35 ? COVER.pasture : COVER.heath;
      }
    }
  }
}

/** Height of the flood's surface by kilometres east; it spreads out and falls towards the sea. */
export const floodLevel = (x: number): number =>
  plainHeight(x) + 0.86 * smooth(DAM_X, DAM_X + 1.2, x) * (1 - smooth(20.2, 22.6, x));

/**
 * Water after the event: the old water less the drained lake, and all low ground that the flood
 * reached from the river.
 */
function floodedAfter(elevation: Float32Array, cover: Uint8Array): Uint8Array {
  const water = new Uint8Array(WIDTH * HEIGHT);
  const queue: number[] = [];
  for (let i = 0; i < water.length; i++) {
    if (cover[i] !== COVER.water) {
      continue;
    }
    const x = km((i % WIDTH) + 0.5);
    const y = km(Math.floor(i / WIDTH) + 0.5);
    const distance = Math.abs(y - riverNorthing(x));
    if (x > SOURCE_X + 0.5 && x < DAM_X && distance < 0.7 && distance > riverHalfWidth(x) * 1.6) {
      continue;
    }
    water[i] = 1;
    if (x > DAM_X && x < MOUTH_X && distance < riverHalfWidth(x)) {
      queue.push(i);
    }
  }
  for (let squares = 0; squares < queue.length; squares++) {
    const i = queue[squares]!;
    const c = i % WIDTH;
    const r = (i - c) / WIDTH;
    for (const [dc, dr] of [
      [1, 0],
      [-1, 0],
      [0, 1],
      [0, -1],
    ] as const) {
      const cc = c + dc;
      const rr = r + dr;
      if (cc < 0 || rr < 0 || cc >= WIDTH || rr >= HEIGHT) {
        continue;
      }
      const k = rr * WIDTH + cc;
      const x = km(cc + 0.5);
      if (water[k] || x <= DAM_X || x > MOUTH_X || elevation[k]! > floodLevel(x)) {
        continue;
      }
      water[k] = 1;
      queue.push(k);
    }
  }
  return water;
}

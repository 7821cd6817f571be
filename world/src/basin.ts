import { fractal, hash2, noise } from "./random";

/**
 * What became of the Quill Basin between 2019 and 2025: wood was cleared for fields, a town grew over
 * fields, heath was turned into pasture, and the lake rose into its reeds. Places in kilometres east
 * and south of the island's north-west corner.
 */

/** Kinds of ground in the basin. */
export type BasinCover = "water" | "reed" | "pasture" | "crop" | "town" | "heath" | "wood";
/** What stands at a place now, and what stood there in 2019. */
export interface Became {
  now: BasinCover;
  then: BasinCover;
}

const BASIN = { x: 10.5, y: 16.4, halfWidth: 3.5, halfHeight: 2.15 };
/** Higher than this is no floor of the basin, metres. */
const FLOOR_M = 120;
const LAKE = {
  x: 10.2,
  y: 16.5,
  now: [1.2, 0.62],
  then: [0.75, 0.4],
  reeds: [1.45, 0.98],
} as const;
const TOWN = { x: 8.45, y: 16.1, now: 1.12, then: 0.66 };
/** Fields of the basin are large. */
const STRIP_KM = 0.3;
const PARCEL_KM = 0.6;

const same = (cover: BasinCover): Became => ({ now: cover, then: cover });

/** How far out a place lies of an ellipse about the lake, 1 on its shore, with bays. */
function outOfLake(x: number, y: number, [a, b]: readonly [number, number]): number {
  const bays = 1 + 0.25 * Math.sin(5 * Math.atan2(y - LAKE.y, x - LAKE.x));
  return (((x - LAKE.x) / a) ** 2 + ((y - LAKE.y) / b) ** 2) / bays;
}

/** Whether the lake of 2025 covers a place. */
export const isLake = (x: number, y: number): boolean => outOfLake(x, y, LAKE.now) < 1;

/** What the lake and its reeds are at a place; null away from them. */
function lakeAt(x: number, y: number): Became | null {
  if (isLake(x, y)) {
    return { now: "water", then: outOfLake(x, y, LAKE.then) < 1 ? "water" : "reed" };
  }
  return outOfLake(x, y, LAKE.reeds) < 1 ? same("reed") : null;
}

function townAt(x: number, y: number, seed: number): Became | null {
  const distance = Math.hypot(x - TOWN.x, (y - TOWN.y) * 1.15);
  const edge = 1 + 0.2 * noise(x * 1.6, y * 1.6, seed + 30);
  if (distance >= TOWN.now * edge) {
    return null;
  }
  return { now: "town", then: distance < TOWN.then * edge ? "town" : "crop" };
}

/** Number of the large field that a place of the basin belongs to. */
export function basinField(x: number, y: number, seed: number): number {
  const strip = Math.floor((y + 0.12 * x) / STRIP_KM);
  const parcel = Math.floor((x - 0.12 * y) / PARCEL_KM + hash2(strip, 0, seed + 31));
  return (Math.imul(strip, 73856093) ^ Math.imul(parcel, 19349663)) & 0x7fffffff;
}

/** Fields in the east, most of which were wood, and those around the town, which were fields. */
function farmlandAt(x: number, y: number, seed: number): Became | null {
  const field = basinField(x, y, seed);
  const chance = hash2(field & 65535, field >>> 16, seed + 32);
  if (x > 11.75) {
    return { now: "crop", then: fractal(x * 0.8, y * 0.8, 2, seed + 33) > -0.12 ? "wood" : "crop" };
  }
  if (x < 9.5) {
    return same(chance < 0.62 ? "crop" : "pasture");
  }
  return null;
}

/** Grazing about the lake, much of which was heath, with heath that is left and woods. */
function grazingAt(x: number, y: number, seed: number): Became {
  const rough = fractal(x * 0.9, y * 0.9, 2, seed + 34);
  if (rough > 0.3) {
    return same(y < LAKE.y ? "heath" : "wood");
  }
  return { now: "pasture", then: rough > -0.35 ? "heath" : "pasture" };
}

/**
 * What stands at a place of the basin's floor and stood there in 2019; null outside it.
 * @param x kilometres east @param y kilometres south @param heightM height of the ground there
 */
export function basinAt(x: number, y: number, heightM: number, seed: number): Became | null {
  const { halfWidth, halfHeight } = BASIN;
  const out = ((x - BASIN.x) / halfWidth) ** 2 + ((y - BASIN.y) / halfHeight) ** 2;
  if (out >= 1 || heightM > FLOOR_M) {
    return null;
  }
  return lakeAt(x, y) ?? townAt(x, y, seed) ?? farmlandAt(x, y, seed) ?? grazingAt(x, y, seed);
}

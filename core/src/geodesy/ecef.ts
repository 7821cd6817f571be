import { WGS84 } from "./ellipsoid";

export type Vec3 = [number, number, number];
/** A vector made of another's numbers, one by one; `k` is 0, 1 or 2. */
export const mapVec = (vector: Vec3, map: (x: number, k: number) => number): Vec3 => [
  map(vector[0], 0),
  map(vector[1], 1),
  map(vector[2], 2),
];
const DEG = Math.PI / 180;
const { a, e2 } = WGS84;
const b = a * Math.sqrt(1 - e2);
const second = (a * a - b * b) / (b * b);

/**
 * Earth-centred, Earth-fixed coordinates in metres of a geodetic position (degrees, metres above
 * the ellipsoid).
 */
export function toEcef(lonDeg: number, latDeg: number, height: number): Vec3 {
  const sin = Math.sin(latDeg * DEG);
  const cos = Math.cos(latDeg * DEG);
  const n = a / Math.sqrt(1 - e2 * sin * sin);
  return [
    (n + height) * cos * Math.cos(lonDeg * DEG),
    (n + height) * cos * Math.sin(lonDeg * DEG),
    (n * (1 - e2) + height) * sin,
  ];
}

/**
 * Geodetic longitude, latitude (degrees) and ellipsoidal height (metres). Source: Bowring 1976, two
 * rounds: below 1e-9 m near the ground.
 */
export function fromEcef([x, y, z]: Vec3): Vec3 {
  const distance = Math.hypot(x, y);
  let beta = Math.atan2(z * a, distance * b);
  let lat = 0;
  for (let k = 0; k < 3; k++) {
    lat = Math.atan2(z + second * b * Math.sin(beta) ** 3, distance - e2 * a * Math.cos(beta) ** 3);
    beta = Math.atan2(b * Math.sin(lat), a * Math.cos(lat));
  }
  const sin = Math.sin(lat);
  const cos = Math.cos(lat);
  const n = a / Math.sqrt(1 - e2 * sin * sin);
  return [
    Math.atan2(y, x) / DEG,
    lat / DEG,
    Math.abs(cos) > 1e-3 ? distance / cos - n : Math.abs(z) - b,
  ];
}

/** Scalar product. */
export const dot = (first: Vec3, second: Vec3): number =>
  first[0] * second[0] + first[1] * second[1] + first[2] * second[2];

/** The first vector less the second. */
export const sub = (first: Vec3, second: Vec3): Vec3 => [
  first[0] - second[0],
  first[1] - second[1],
  first[2] - second[2],
];

/** Vector product, right-handed. */
export const cross = (first: Vec3, second: Vec3): Vec3 => [
  first[1] * second[2] - first[2] * second[1],
  first[2] * second[0] - first[0] * second[2],
  first[0] * second[1] - first[1] * second[0],
];

/** Length of a vector, in its own unit. */
export const norm = (vector: Vec3): number => Math.hypot(vector[0], vector[1], vector[2]);

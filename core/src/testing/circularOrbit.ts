import { type Vec3, cross, dot, mapVec, norm, toEcef } from "../geodesy/ecef";
import type { StateVector } from "../radar/orbit";

/** Gravitational constant of the Earth, m³/s², and its turning rate, rad/s (WGS 84). */
const MU = 3.986004418e14;
const OMEGA = 7.292115e-5;

/** An orbit with a closed form: a circle in inertial space, seen from the turning Earth. */
export interface CircularOrbit {
  radius: number;
  /** Earth-fixed position and velocity t seconds after the middle. */
  at(t: number): { position: Vec3; velocity: Vec3 };
}

/**
 * The circular orbit that sees a place abeam at t = 0 under an incidence angle (on the sphere
 * through the place) from an azimuth.
 * @param towardsSensorDeg azimuth from the place to the sensor, degrees clockwise from north;
 * @param heading 1: the satellite flies so that the place
 * lies to its right; −1: to its left
 */
export function circularOrbit(
  place: { lonDeg: number; latDeg: number },
  radius: number,
  incidenceDeg: number,
  towardsSensorDeg: number,
  heading: 1 | -1,
): CircularOrbit {
  const deg = Math.PI / 180;
  const lon = place.lonDeg * deg;
  const lat = place.latDeg * deg;
  const point = toEcef(place.lonDeg, place.latDeg, 0);
  const up: Vec3 = [Math.cos(lat) * Math.cos(lon), Math.cos(lat) * Math.sin(lon), Math.sin(lat)];
  const east: Vec3 = [-Math.sin(lon), Math.cos(lon), 0];
  const north = cross(up, east);
  const az = towardsSensorDeg * deg;
  const inc = incidenceDeg * deg;
  const vector = mapVec(
    up,
    (value, k) =>
      value * Math.cos(inc) + Math.sin(inc) * (north[k]! * Math.cos(az) + east[k]! * Math.sin(az)),
  );
  const b = dot(point, vector);
  const range = -b + Math.sqrt(b * b - dot(point, point) + radius * radius);
  const s = mapVec(point, (value, k) => value + range * vector[k]!);
  // The Earth-fixed velocity is square to the position and to the beam; its size makes the inertial
  // speed that of a circle.
  const side = mapVec(cross(vector, s), (value) => (heading * value) / norm(cross(vector, s)));
  const spin = cross([0, 0, OMEGA], s);
  const speed2 = MU / radius;
  const h = dot(side, spin);
  const value = -h + Math.sqrt(h * h - dot(spin, spin) + speed2);
  const inertial = mapVec(side, (x, k) => x * value + spin[k]!);
  const w = Math.sqrt(speed2);
  const n = w / radius;
  return {
    radius,
    at(t) {
      const c = Math.cos(n * t);
      const sine = Math.sin(n * t);
      const x = mapVec(s, (a, k) => a * c + (inertial[k]! / w) * radius * sine);
      const dx = mapVec(s, (a, k) => -a * n * sine + inertial[k]! * c);
      const ct = Math.cos(OMEGA * t);
      const st = Math.sin(OMEGA * t);
      const turn = ([a, e, z]: Vec3): Vec3 => [a * ct + e * st, -a * st + e * ct, z];
      const position = turn(x);
      const moved = turn(dx);
      const carried = cross([0, 0, OMEGA], position);
      return { position, velocity: mapVec(moved, (a, k) => a - carried[k]!) };
    },
  };
}

export const vectorsOf = (
  orbit: CircularOrbit,
  middleT: number,
  from: number,
  to: number,
  step: number,
): StateVector[] =>
  Array.from({ length: Math.round((to - from) / step) + 1 }, (_v, i) => ({
    t: middleT + from + i * step,
    ...orbit.at(from + i * step),
  }));

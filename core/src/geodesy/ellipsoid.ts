/** WGS 84 defining constants: semi-major axis in metres, flattening, first eccentricity squared. */
export const WGS84 = {
  a: 6378137,
  f: 1 / 298.257223563,
  e2: (2 - 1 / 298.257223563) / 298.257223563,
} as const;

const DEG = Math.PI / 180;

/**
 * Meridian and prime-vertical radii of curvature at a geodetic latitude.
 * @param latDeg degrees; @returns metres. Source: Snyder 1987, eqs. 4-18, 4-20.
 */
export function radiiOfCurvature(latDeg: number): { meridian: number; primeVertical: number } {
  const s = Math.sin(latDeg * DEG);
  const w2 = 1 - WGS84.e2 * s * s;
  const w = Math.sqrt(w2);
  return { meridian: (WGS84.a * (1 - WGS84.e2)) / (w2 * w), primeVertical: WGS84.a / w };
}

/**
 * q of Snyder 1987, eq. 3-12: proportional to the ellipsoid's surface between the equator and a
 * latitude.
 */
function authalicQ(latDeg: number): number {
  const e = Math.sqrt(WGS84.e2);
  const s = Math.sin(latDeg * DEG);
  return (1 - WGS84.e2) * (s / (1 - WGS84.e2 * s * s) + Math.atanh(e * s) / e);
}

/**
 * Exact surface of a lon/lat box on the WGS 84 ellipsoid, in m². Latitudes in degrees, any order;
 * beyond the
 * poles they are clamped. Source: Snyder 1987, eq. 3-12.
 */
export function zoneArea(lat1Deg: number, lat2Deg: number, widthDeg: number): number {
  const clamp = (value: number) => Math.max(-90, Math.min(90, value));
  return (
    ((WGS84.a * WGS84.a) / 2) *
    Math.abs(authalicQ(clamp(lat1Deg)) - authalicQ(clamp(lat2Deg))) *
    Math.abs(widthDeg) *
    DEG
  );
}

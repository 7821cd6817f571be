import { type Crs, LONLAT, transformer, utm } from "../geodesy/crs";
import { nearLongitude, withoutLeap } from "../grid/globe";
import { type Grid, northUp } from "../grid/grid";
import { metresOfUnit } from "../grid/metres";

/**
 * Study grid for places in lon/lat: the UTM zone of their middle, cells of the size given (the
 * images' own, never a stock value),
 * corners on whole multiples of it, so that two studies of one place share their cells. In a system
 * of degrees cells are as high as the size says.
 * @param given a coordinate system to take instead
 */
export function proposeGrid(
  points: readonly (readonly [number, number])[],
  cellM: number,
  given?: Crs,
): Grid {
  const lons = withoutLeap(points).map((point) => point[0]);
  const lats = points.map((point) => point[1]);
  const lon = nearLongitude((Math.min(...lons) + Math.max(...lons)) / 2, 0);
  const lat = (Math.min(...lats) + Math.max(...lats)) / 2;
  const zone = Math.min(60, Math.max(1, Math.floor((lon + 180) / 6) + 1));
  const crs = given ?? utm(zone, lat < 0);
  const cell = cellM / metresOfUnit(crs);
  const pointTransform = transformer(LONLAT, crs);
  const xy = points.map(([, y], k) => pointTransform(lons[k]!, y));
  const down = (value: number) => Math.floor(value / cell) * cell;
  const up = (value: number) => Math.ceil(value / cell) * cell;
  const x0 = down(Math.min(...xy.map((point) => point[0])));
  const x1 = up(Math.max(...xy.map((point) => point[0])));
  const y0 = down(Math.min(...xy.map((point) => point[1])));
  const y1 = up(Math.max(...xy.map((point) => point[1])));
  return northUp(
    crs,
    x0,
    y1,
    cell,
    cell,
    Math.max(1, Math.round((x1 - x0) / cell)),
    Math.max(1, Math.round((y1 - y0) / cell)),
  );
}

/**
 * Native cell on the ground of radar images after looks, rounded up to a whole metre: the coarser
 * of range and azimuth.
 */
export const nativeCellM = (
  sampleSpacingM: number,
  lineSpacingM: number,
  rangeLooks: number,
  azimuthLooks: number,
): number =>
  Math.max(1, Math.ceil(Math.max(sampleSpacingM * rangeLooks, lineSpacingM * azimuthLooks) - 1e-6));

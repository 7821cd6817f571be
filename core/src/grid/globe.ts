import { type PointTransform, LONLAT, isGeographic, transformer } from "../geodesy/crs";
import { type Grid, toMap } from "./grid";

/** A longitude as the one of its meridian that is nearest to another longitude. */
export const nearLongitude = (lon: number, near: number): number =>
  lon - 360 * Math.round((lon - near) / 360);

/** Longitudes of a grid in degrees as they are counted on it, which may be past 180. */
function asCountedOn(grid: Grid, transform: PointTransform): PointTransform {
  if (!isGeographic(grid.crs)) {
    return transform;
  }
  const [middle] = toMap(grid, grid.width / 2, grid.height / 2);
  return (x, y) => {
    const [lon, lat] = transform(x, y);
    return [nearLongitude(lon, middle), lat];
  };
}

/**
 * From longitude and latitude to the coordinates of a grid. A grid in degrees may lie over the date
 * line or count its longitudes past 180: any name of a meridian finds it there.
 */
export const ontoGrid = (grid: Grid): PointTransform =>
  asCountedOn(grid, transformer(LONLAT, grid.crs));

/** From the coordinates of one grid to those of another one. */
export const betweenGrids = (from: Grid, to: Grid): PointTransform =>
  asCountedOn(to, transformer(from.crs, to.crs));

/** From the coordinates of a grid to longitude, from −180 to 180, and latitude. */
export function ontoGlobe(grid: Grid): PointTransform {
  const transform = transformer(grid.crs, LONLAT);
  return (x, y) => {
    const [lon, lat] = transform(x, y);
    return [lon >= -180 && lon <= 180 ? lon : nearLongitude(lon, 0), lat];
  };
}

/**
 * From the coordinates of a grid to longitude and latitude without a leap at the date line: longitudes
 * are those nearest to that of the grid's middle, and may be past 180.
 */
export function ontoGlobeAround(grid: Grid): PointTransform {
  const globe = ontoGlobe(grid);
  const [middle] = globe(...toMap(grid, grid.width / 2, grid.height / 2));
  return (x, y) => {
    const [lon, lat] = globe(x, y);
    return [nearLongitude(lon, middle), lat];
  };
}

/** Places in longitude and latitude in a row, without the leap at the date line. */
export function withoutLeap(places: readonly (readonly [number, number])[]): [number, number][] {
  let before = places[0]?.[0] ?? 0;
  return places.map(([lon, lat]) => {
    before = nearLongitude(lon, before);
    return [before, lat];
  });
}

/** A ring once around the Earth ends this many degrees from its beginning. */
const ONCE_AROUND = 359;

/**
 * A ring on the globe as it is drawn on a map of longitude and latitude: without a leap at the date
 * line, so that longitudes may be past 180; one around a pole is closed along it.
 */
export function drawnRing(ring: readonly (readonly [number, number])[]): [number, number][] {
  const drawn = withoutLeap(ring);
  const [first, last] = [drawn[0], drawn.at(-1)];
  if (!first || !last || Math.abs(last[0] - first[0]) < ONCE_AROUND) {
    return drawn;
  }
  const mean = drawn.reduce((sum, [, lat]) => sum + lat, 0) / drawn.length;
  const pole = mean < 0 ? -90 : 90;
  return [...drawn, [last[0], pole], [first[0], pole], first];
}

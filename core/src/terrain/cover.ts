import { LONLAT, transformer } from "../geodesy/crs";
import { ontoGrid } from "../grid/globe";
import { type Grid, toCell, toMap } from "../grid/grid";
import { RangeDoppler, type SensorModel } from "../radar/sensor";

/** An elevation at some level: its grid there, and which of its cells have a height. */
export interface KnownGround {
  grid: Grid;
  known: Uint8Array;
}

/** Places across and down a grid that are looked at. */
const SIDE = 48;

/**
 * Share of the ground of a grid that an elevation has heights of, 0 to 1; null where nothing of the
 * grid counts. Looked at on 48 x 48 places of the grid.
 * @param counts whether a place counts: what a scene shows
 */
export function coverOf(
  of: Grid,
  elevation: KnownGround,
  counts: (lonDeg: number, latDeg: number) => boolean,
): number | null {
  const toLonLat = transformer(of.crs, LONLAT);
  const onto = ontoGrid(elevation.grid);
  let shown = 0;
  let known = 0;
  for (let r = 0; r < SIDE; r++) {
    for (let c = 0; c < SIDE; c++) {
      const [lon, lat] = toLonLat(
        ...toMap(of, ((c + 0.5) * of.width) / SIDE, ((r + 0.5) * of.height) / SIDE),
      );
      if (counts(lon, lat)) {
        shown++;
        known += isKnown(elevation, toCell(elevation.grid, ...onto(lon, lat))) ? 1 : 0;
      }
    }
  }
  return shown > 0 ? known / shown : null;
}

function isKnown({ grid, known }: KnownGround, [x, y]: readonly [number, number]): boolean {
  const col = Math.floor(x);
  const row = Math.floor(y);
  const isInside = col >= 0 && row >= 0 && col < grid.width && row < grid.height;
  return isInside && known[row * grid.width + col] === 1;
}

/** Whether a scene in its sensor's frame shows a place. */
export function shownBy(sensor: SensorModel): (lonDeg: number, latDeg: number) => boolean {
  const rd = new RangeDoppler(sensor);
  return (lonDeg, latDeg) => {
    const { line, sample } = rd.locateGeodetic(lonDeg, latDeg, 0);
    return line >= 0 && line < sensor.lines && sample >= 0 && sample < sensor.samples;
  };
}

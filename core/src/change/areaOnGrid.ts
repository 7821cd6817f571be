import { isGeographic } from "../geodesy/crs";
import { ontoGrid } from "../grid/globe";
import type { Grid } from "../grid/grid";
import { type MultiPolygon, transformPolygons } from "../vector/polygons";

/**
 * Study area from lon/lat to the coordinates of a grid, rounded to a millimetre so that it hashes
 * alike everywhere.
 */
export function areaOnGrid(area: MultiPolygon, grid: Grid): MultiPolygon {
  const k = isGeographic(grid.crs) ? 1e9 : 1e3;
  const onto = ontoGrid(grid);
  return transformPolygons(
    area,
    (x, y) => {
      const [across, up] = onto(x, y);
      return [Math.round(across * k) / k, Math.round(up * k) / k];
    },
    0.01,
  );
}

import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";
import type { Grid, Window } from "@hindglance/core/grid/grid";
import { rasterise } from "@hindglance/core/vector/rasterise";
import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { isDeepStrictEqual } from "node:util";
import type { ChangeMap } from "../db/changeMaps";
import type { Client } from "../db/pool";
import { type Zones, studyZones } from "../db/scenes";

/**
 * Zones in the coordinates of the map's grid; zone k of the list has number k + 1, and 0 is "in no
 * zone".
 */
export type ZonePolygons = { name: string; polygons: MultiPolygon }[];

/** The zones of a layer on a grid; none where there is no layer. */
export const zonesOnGrid = (layer: Zones | null, grid: Grid): ZonePolygons =>
  (layer?.polygons ?? []).map((feature) => ({
    name: String(feature.properties[layer!.nameField]),
    polygons: areaOnGrid(multiPolygonFrom(feature.geometry), grid),
  }));

/** The number of the zone of each cell of a window, 0 in none; null where there are no zones. */
export function zoneCells(zones: ZonePolygons, grid: Grid, window: Window): Uint16Array | null {
  if (zones.length === 0) {
    return null;
  }
  const cells = new Uint16Array(window.width * window.height);
  zones.forEach(({ polygons }, k) => rasterise(polygons, grid, window, k + 1, cells));
  return cells;
}

/** The zones that a map was counted in; none where the study has others by now. */
export async function zonesOfMap(
  client: Client,
  map: ChangeMap,
  grid: Grid,
): Promise<ZonePolygons> {
  const zones = zonesOnGrid(await studyZones(client, map.studyId), grid);
  const names = zones.map(({ name }) => name);
  return isDeepStrictEqual(names, map.provenance.zones?.names) ? zones : [];
}

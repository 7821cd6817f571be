import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";
import type { Grid } from "@hindglance/core/grid/grid";
import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { Zones } from "../db/scenes";

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

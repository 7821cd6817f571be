import { type Grid, northUp } from "@hindglance/core/grid/grid";
import {
  CELL,
  COVER,
  type Ground,
  HEIGHT,
  ORIGIN,
  TOWNS,
  WIDTH,
  riverNorthing,
  worldGrid,
} from "./ground";
import { hash2 } from "./random";
import { placeOf, polygonOf } from "./vectors";

/** Cells of the ground along a side of a cell of people: 100 m. */
const PEOPLE_CELLS = 10;
const SEED = 83;

/** The grid on which people are counted. */
export const peopleGrid = (): Grid =>
  northUp(
    worldGrid().crs,
    ORIGIN[0],
    ORIGIN[1],
    CELL * PEOPLE_CELLS,
    CELL * PEOPLE_CELLS,
    WIDTH / PEOPLE_CELLS,
    HEIGHT / PEOPLE_CELLS,
  );

/** People of a hectare of each cover, at the most. */
const DENSITY: Record<number, number> = {
  [COVER.town]: 60,
  [COVER.crop]: 1.6,
  [COVER.pasture]: 0.8,
  [COVER.heath]: 0.1,
};

/** People by cell of the grid, whole numbers: towns, and farms here and there. */
export function peopleOf({ cover }: Ground): Float32Array {
  const { width, height } = peopleGrid();
  return Float32Array.from({ length: width * height }, (_v, k) => {
    const [col, row] = [k % width, Math.floor(k / width)];
    let most = 0;
    for (let r = row * PEOPLE_CELLS; r < (row + 1) * PEOPLE_CELLS; r++) {
      for (let c = col * PEOPLE_CELLS; c < (col + 1) * PEOPLE_CELLS; c++) {
        most += (DENSITY[cover[r * WIDTH + c]!] ?? 0) / PEOPLE_CELLS ** 2;
      }
    }
    return Math.round(most * (0.4 + 0.6 * hash2(col, row, SEED)));
  });
}

type Place = [x: number, y: number];

/** A line along the river, so many kilometres south of it. */
const besideRiver = (from: number, to: number, south: number): Place[] => {
  const count = Math.round((to - from) / 0.3);
  return Array.from({ length: count + 1 }, (_v, k): Place => {
    const x = from + ((to - from) * k) / count;
    return [x, riverNorthing(x) + south];
  });
};

const middleOf = ({ x, y }: (typeof TOWNS)[number]): Place => [x, y];
const SALLOWMERE = middleOf(TOWNS[0]);
const BRACKWATER = middleOf(TOWNS[1]);
/** How far the roads along the valley keep off the river: on most of their way, dry ground. */
const NORTH_KM = 2.05;
const SOUTH_KM = 2.3;
const LOW_KM = 1.3;

/** Where roads meet. */
const BRIDGE_END: Place = [12.6, riverNorthing(12.6) - NORTH_KM];
const HILL_FOOT: Place = [6, riverNorthing(6) - NORTH_KM];
const HILL_END: Place = [20.6, 5.9];

/** Roads of the island: along the river, over its bridge, over the hills, and to the south. */
const ROADS: { name: string; places: Place[] }[] = [
  {
    name: "Valley road",
    places: [
      [3.4, riverNorthing(3.4) - NORTH_KM],
      HILL_FOOT,
      ...besideRiver(6.3, 9.9, -NORTH_KM),
      // Down to the plain and up again: the hill road is the way round.
      ...besideRiver(10.2, 11.1, -LOW_KM),
      ...besideRiver(11.4, 12.3, -NORTH_KM),
      BRIDGE_END,
      ...besideRiver(12.9, 20.1, -NORTH_KM),
      BRACKWATER,
    ],
  },
  { name: "Bridge road", places: [BRIDGE_END, [12.6, riverNorthing(12.6) + 0.3], SALLOWMERE] },
  {
    name: "South bank road",
    places: [SALLOWMERE, ...besideRiver(13.2, 19.6, SOUTH_KM), BRACKWATER],
  },
  {
    name: "Hill road",
    places: [HILL_FOOT, [7.6, 7.2], [10.5, 6.1], [13.8, 5.9], [17.2, 5.5], HILL_END],
  },
  { name: "Tolm road", places: [BRACKWATER, [20.9, 7.4], HILL_END, [18.9, 3.6]] },
  { name: "Quill road", places: [SALLOWMERE, [12.4, 13.8], [11.6, 16.4]] },
];

/** The roads as GeoJSON lines. */
export const roadsGeoJson = () => ({
  type: "FeatureCollection",
  features: ROADS.map(({ name, places }) => ({
    type: "Feature",
    properties: { name },
    geometry: { type: "LineString" as const, coordinates: places.map(placeOf) },
  })),
});

/** Towns and what people depend on. */
const PLACES: { name: string; kind: string; at: Place }[] = [
  { name: "Sallowmere", kind: "town", at: SALLOWMERE },
  { name: "Brackwater", kind: "town", at: BRACKWATER },
  { name: "Tolm", kind: "village", at: [18.9, 3.6] },
  { name: "Quill", kind: "village", at: [11.6, 16.4] },
  { name: "Dam house", kind: "village", at: [3.4, riverNorthing(3.4) - NORTH_KM - 0.05] },
  { name: "Brackwater hospital", kind: "hospital", at: [20.5, 8.7] },
  { name: "Sallowmere clinic", kind: "clinic", at: [12.5, 11.8] },
  { name: "Ombrel pumping station", kind: "waterworks", at: [15.2, riverNorthing(15.2) + 0.25] },
  { name: "Lowfen substation", kind: "substation", at: [10.4, riverNorthing(10.4) + 0.5] },
  { name: "Airfield hangar", kind: "airfield", at: [13.3, 7.5] },
];

/** Grounds of things that are no points. */
const GROUNDS: { name: string; kind: string; ring: Place[] }[] = [
  {
    name: "Reed works",
    kind: "works",
    ring: [
      [16.4, riverNorthing(16.5) + 0.3],
      [16.4, riverNorthing(16.5) + 0.55],
      [16.9, riverNorthing(16.5) + 0.55],
      [16.9, riverNorthing(16.5) + 0.3],
    ],
  },
];

/** Towns, hospitals and other places as GeoJSON points and polygons. */
export const placesGeoJson = () => ({
  type: "FeatureCollection",
  features: [
    ...PLACES.map(({ name, kind, at }) => ({
      type: "Feature",
      properties: { name, kind },
      geometry: { type: "Point" as const, coordinates: placeOf(at) },
    })),
    ...GROUNDS.map(({ name, kind, ring }) => ({
      type: "Feature",
      properties: { name, kind },
      geometry: polygonOf(ring),
    })),
  ],
});

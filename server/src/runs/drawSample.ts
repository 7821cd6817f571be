import {
  type SampleDesign,
  type StratifiedMap,
  drawPlaces,
  strataOf,
  withNear,
} from "@hindglance/core/accuracy/draw";
import { MOST_PLACES } from "@hindglance/contract/accuracy";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { type CellAreas, cellAreas } from "@hindglance/core/grid/area";
import { toMap } from "@hindglance/core/grid/grid";
import { type Runs, runEnd } from "@hindglance/core/patches/runs";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type KeptPlace, type ZoneStratum, createSample } from "../db/samples";
import { addToLedger, touchStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import type { ZonePolygons } from "../products/zonePolygons";
import type { RunKind } from "./kind";
import { runsOfImage, zoneRows } from "./mapPatches";

/** What a run that draws a sample is told. */
export interface SampleParams {
  sampleId: string;
  changeMapId: string;
  name: string;
  design: SampleDesign;
  nearCells: number;
  mapImageId: string;
  mapInfo: ImageInfo;
  zones: ZonePolygons;
}

/** Number of a stratum that no class has. */
function nearNumber({ classes }: ImageInfo): number {
  const taken = new Set(classes?.map(({ label }) => label));
  let near = 1;
  while (taken.has(near)) {
    near++;
  }
  return near;
}

function stratified({ nearCells, mapInfo }: SampleParams, runs: Runs, areas: CellAreas) {
  const near = nearCells > 0 ? nearNumber(mapInfo) : null;
  const inStrata = near === null ? runs : withNear(runs, nearCells, near);
  return { runs: inStrata, strata: strataOf(inStrata, areas, near) };
}

/** Adds the cells of a run to its stratum, zone by zone. */
function addByZone(
  found: Map<string, ZoneStratum>,
  stratum: ZoneStratum,
  zones: Uint16Array,
  { row, from, to }: { row: number; from: number; to: number },
  areas: CellAreas,
): void {
  for (let c = from; c < to;) {
    const zone = zones[c]!;
    const begun = c;
    do {
      c++;
    } while (c < to && zones[c] === zone);
    const key = `${zone} ${stratum.id}`;
    const part = found.get(key) ?? { ...stratum, zone, cells: 0, areaM2: 0 };
    part.cells += c - begun;
    part.areaM2 += areas.run(row, begun, c);
    found.set(key, part);
  }
}

/** Strata by zone; none where the map has no zones. */
function strataByZone(params: SampleParams, map: StratifiedMap, areas: CellAreas): ZoneStratum[] {
  if (params.zones.length === 0) {
    return [];
  }
  const zoneRow = zoneRows({ zones: params.zones, info: params.mapInfo });
  const strata = new Map(map.strata.map((stratum) => [stratum.id, { ...stratum, zone: 0 }]));
  const found = new Map<string, ZoneStratum>();
  const { runs } = map;
  for (let row = 0; row < runs.height; row++) {
    const zones = zoneRow(row);
    for (let i = runs.rows[row]!; i < runs.rows[row + 1]!; i++) {
      if (runs.labels[i] !== CLASS_NODATA) {
        const span = { row, from: runs.starts[i]!, to: runEnd(runs, i, row) };
        addByZone(found, strata.get(runs.labels[i]!)!, zones, span, areas);
      }
    }
  }
  return [...found.values()].sort((a, b) => a.zone - b.zone || a.id - b.id);
}

/** Places with where they lie on the globe, and their zones. */
function placed({ design, mapInfo, zones }: SampleParams, map: StratifiedMap): KeptPlace[] {
  const { grid } = mapInfo;
  const toLonLat = transformer(grid.crs, LONLAT);
  const places = drawPlaces(map, design).map((place, k) => ({ ...place, number: k + 1 }));
  const zoneRow = zoneRows({ zones, info: mapInfo });
  return [...places]
    .sort((a, b) => a.row - b.row)
    .map(({ number, stratum, label, col, row }) => {
      const [lon, lat] = toLonLat(...toMap(grid, col + 0.5, row + 0.5));
      return { number, stratum, label, zone: zoneRow(row)[col]!, lon, lat };
    });
}

/** @throws AppError where more is asked for than can be looked at */
export function requireFew({ drawing, units, count }: SampleDesign): void {
  const all =
    drawing === "stratified" ? Object.values(units).reduce((sum, one) => sum + one, 0) : count;
  if (!(all >= 2 && all <= MOST_PLACES)) {
    throw new AppError(
      422,
      "invalid",
      `${all} places cannot be looked at`,
      drawing === "stratified" ? "design.units" : "design.count",
      `Ask for 2 to ${MOST_PLACES.toLocaleString("en")}.`,
    );
  }
}

/** Draws the places of a sample from a map, by its seed. */
export const drawSample: RunKind<SampleParams> = {
  phases: () => [{ name: "Drawing places", weight: 1 }],
  ranges: async () => [1],
  async work(_phase, _seq, params, ctx) {
    const { mapImageId, mapInfo, sampleId, changeMapId, name, design, nearCells } = params;
    const areas = cellAreas(mapInfo.grid);
    const runs = await runsOfImage(mapImageId, mapInfo.grid, ctx);
    const map = stratified(params, runs, areas);
    const zones = strataByZone(params, map, areas);
    const sample = {
      id: sampleId,
      changeMapId,
      name,
      design,
      nearCells,
      strata: map.strata,
      zones,
    };
    const places = placed(params, map);
    return {
      write: async (client) => {
        if (!(await createSample(client, sample, places))) {
          throw notFound("change map");
        }
      },
    };
  },
  async finish({ changeMapId, sampleId, name, design }, _results, client, run) {
    const told = { changeMap: changeMapId, sample: sampleId, name, design };
    await addToLedger(client, run.studyId!, "Sample drawn", told);
    await touchStudy(client, run.studyId!);
    return { sampleId };
  },
  discard: async () => {},
};

import {
  type CountedLayer,
  type Exposure,
  type ListedAsset,
  MOST_LISTED,
} from "@hindglance/contract/exposure";
import { AssetMeter, type GroundPart, type MeasuredAsset } from "@hindglance/core/exposure/assets";
import { type CoverSum, CoverTally } from "@hindglance/core/exposure/cover";
import {
  PeopleTally,
  type PeopleSums,
  ontoCells,
  samplesAlong,
  spreadPeople,
  windowUnder,
} from "@hindglance/core/exposure/people";
import { type Place, type Road, type RoadCut, roadCuts } from "@hindglance/core/exposure/roads";
import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { sourceNode } from "@hindglance/core/graph/node";
import { onGrid } from "@hindglance/core/graph/onGrid";
import { cellAreas } from "@hindglance/core/grid/area";
import type { Grid, Window } from "@hindglance/core/grid/grid";
import { largestCellM } from "@hindglance/core/grid/metres";
import { CLASS_NODATA, labelCells, realCells } from "@hindglance/core/raster/block";
import type { Feature } from "@hindglance/core/vector/features";
import { setExposure } from "../db/exposure";
import { overlayFeatures } from "../db/overlays";
import { addToLedger, touchStudy } from "../db/studies";
import { featuresFrom } from "../products/features";
import { type ZonePolygons, zoneCells } from "../products/zonePolygons";
import type { RangeContext, RunKind } from "./kind";
import { RANGE_CELLS, evaluatorFor } from "./mapPhases";
import { blockWindows, rowRanges } from "./ranges";

/** An image of the study that is counted. */
interface Counted {
  sceneId: string;
  name: string;
  imageId: string;
  info: ImageInfo;
}

/** What a run that counts who and what lies under a map is told. */
export interface ExposureParams {
  changeMapId: string;
  name: string;
  mapImageId: string;
  mapInfo: ImageInfo;
  zones: ZonePolygons;
  /** Of the depth of every cell; null where it was not measured. */
  depthImageId: string | null;
  population: Counted | null;
  cover: Counted | null;
  layers: { overlayId: string; name: string; labelField: string | null; isRoads: boolean }[];
  flooded: number[];
}

const COVER = 0;
const PEOPLE = 1;
const ASSETS = 2;

const rangesOf = ({ mapInfo: { grid } }: ExposureParams) =>
  rowRanges(grid.width, grid.height, RANGE_CELLS);

/** Classes of the map in a window. */
const labelsIn = async (
  evaluator: Evaluator,
  { mapImageId }: ExposureParams,
  window: Window,
): Promise<Uint8Array> =>
  labelCells((await evaluator.read(sourceNode(mapImageId), 0, window)).bands[0]!);

/** Areas of land cover by zone and class of the map in a range. */
async function countCover(seq: number, params: ExposureParams, ctx: RangeContext) {
  const { cover, mapInfo, zones } = params;
  const evaluator = evaluatorFor(ctx);
  const image = onGrid(sourceNode(cover!.imageId), cover!.info, mapInfo.grid);
  const areas = cellAreas(mapInfo.grid);
  const tally = new CoverTally();
  const windows = blockWindows(mapInfo.grid, rangesOf(params)[seq]!);
  for (const [k, window] of windows.entries()) {
    ctx.signal.throwIfAborted();
    const labels = await labelsIn(evaluator, params, window);
    const covers = labelCells((await evaluator.read(image, 0, window)).bands[0]!);
    const part = { window, labels, zones: zoneCells(zones, mapInfo.grid, window) };
    tally.add(part, covers, areas);
    ctx.progress((k + 1) / windows.length);
  }
  return { result: tally.toJSON() };
}

function coverSums(parts: readonly CoverSum[][]): CoverSum[] {
  const tally = new CoverTally();
  parts.forEach((part) => tally.merge(part));
  return tally.toJSON();
}

/** Cells of the map that are looked at in one go while people are spread. */
const PART_CELLS = 4e6;

/** Windows of a population grid so small that little of the map lies under each. */
function peopleWindows(people: Grid, map: Grid): Window[] {
  const ratio = largestCellM(people) / largestCellM(map);
  const side = Math.max(1, Math.floor(Math.sqrt(PART_CELLS) / Math.max(1, ratio)));
  const windows: Window[] = [];
  for (let row = 0; row < people.height; row += side) {
    for (let col = 0; col < people.width; col += side) {
      const width = Math.min(side, people.width - col);
      windows.push({ col, row, width, height: Math.min(side, people.height - row) });
    }
  }
  return windows;
}

/** People by zone and class of the map. */
async function countPeople(params: ExposureParams, ctx: RangeContext): Promise<PeopleSums> {
  const { population, mapInfo, zones } = params;
  const { grid } = mapInfo;
  const people = population!.info.grid;
  const evaluator = evaluatorFor(ctx);
  const onto = ontoCells(people, grid);
  const samples = samplesAlong(people, grid);
  const tally = new PeopleTally(zones.length + 1);
  const windows = peopleWindows(people, grid);
  for (const [k, window] of windows.entries()) {
    ctx.signal.throwIfAborted();
    const { bands } = await evaluator.read(sourceNode(population!.imageId), 0, window);
    const under = windowUnder(window, onto, grid);
    const part = under && {
      window: under,
      labels: await labelsIn(evaluator, params, under),
      zones: zoneCells(zones, grid, under),
    };
    spreadPeople(realCells(bands[0]!), window, onto, samples, part, tally);
    ctx.progress((k + 1) / windows.length);
  }
  return tally.toJSON();
}

/** What assets and roads come to. */
interface CountedAssets {
  layers: CountedLayer[];
  listed: ListedAsset[];
  affected: number;
  cuts: RoadCut[];
}

/** Name of a feature: what its layer names features by, else what it is called anyhow. */
function nameOf({ properties }: Feature, labelField: string | null, k: number): string {
  const value = properties[labelField ?? "name"] ?? properties.name;
  return typeof value === "string" || typeof value === "number"
    ? String(value)
    : `feature ${k + 1}`;
}

const isInClass = ({ parts }: MeasuredAsset): boolean =>
  parts.some(({ label }) => label !== 0 && label !== CLASS_NODATA);

/** Sums of a layer by shape, zone and class. */
class LayerSums {
  private readonly sums = new Map<string, CountedLayer["sums"][number]>();

  add({ shape, parts }: MeasuredAsset): void {
    for (const { zone, label, amount } of parts) {
      const key = `${shape} ${zone} ${label}`;
      const known = this.sums.get(key) ?? { shape, zone, label, count: 0, amount: 0 };
      this.sums.set(key, { ...known, count: known.count + 1, amount: known.amount + amount });
    }
  }

  finish(): CountedLayer["sums"] {
    return [...this.sums.values()];
  }
}

/** Reads classes, zones and depths in windows of the map. */
const groundReader =
  (params: ExposureParams, evaluator: Evaluator) =>
  async (window: Window): Promise<GroundPart> => {
    const { depthImageId, zones, mapInfo } = params;
    const depths =
      depthImageId && (await evaluator.read(sourceNode(depthImageId), 0, window)).bands[0]!;
    return {
      labels: await labelsIn(evaluator, params, window),
      zones: zoneCells(zones, mapInfo.grid, window),
      depths: depths ? realCells(depths) : null,
    };
  };

/** Counts the features of all layers, and finds which roads are cut. */
async function countAssets(params: ExposureParams, ctx: RangeContext): Promise<CountedAssets> {
  const { mapInfo, layers, flooded } = params;
  const read = groundReader(params, evaluatorFor(ctx));
  const meter = new AssetMeter(mapInfo.grid, cellAreas(mapInfo.grid), read);
  const done: CountedAssets = { layers: [], listed: [], affected: 0, cuts: [] };
  const roads: Road[] = [];
  const places: Place[] = [];
  for (const [layer, { overlayId, name, labelField, isRoads }] of layers.entries()) {
    const text = await ctx.db.withClient((client) => overlayFeatures(client, overlayId));
    const features = featuresFrom(text);
    const sums = new LayerSums();
    for (const [k, feature] of features.entries()) {
      ctx.signal.throwIfAborted();
      const called = nameOf(feature, labelField, k);
      for (const found of feature.geometry ? await meter.measure(feature.geometry) : []) {
        sums.add(found);
        if (isRoads) {
          roads.push(...found.lines.map((line) => ({ name: called, line })));
        } else if (found.shape === "point") {
          places.push({ name: called, at: found.at });
        }
        if (isInClass(found)) {
          done.affected++;
          if (done.listed.length < MOST_LISTED) {
            const { shape, parts, depth, at } = found;
            done.listed.push({ layer, name: called, shape, parts, depth, at });
          }
        }
      }
      ctx.progress((layer + (k + 1) / features.length) / layers.length);
    }
    const counted = { overlayId, name, isRoads, features: features.length };
    done.layers.push({ ...counted, sums: sums.finish() });
  }
  return { ...done, cuts: roadCuts(roads, places, new Set(flooded)) };
}

/** Counts who and what lies under the classes of a map: people, land cover, assets, and roads that are cut. */
export const countExposure: RunKind<ExposureParams> = {
  phases: () => [
    { name: "Land cover", weight: 2 },
    { name: "People", weight: 2 },
    { name: "Assets and roads", weight: 2 },
  ],
  async ranges(phase, params) {
    if (phase === COVER) {
      return params.cover ? rangesOf(params).map(({ cells }) => cells) : [];
    }
    const isAsked = phase === PEOPLE ? params.population !== null : params.layers.length > 0;
    return isAsked ? [1] : [];
  },
  async work(phase, seq, params, ctx) {
    if (phase === COVER) {
      return countCover(seq, params, ctx);
    }
    return phase === PEOPLE
      ? { result: await countPeople(params, ctx) }
      : { result: await countAssets(params, ctx) };
  },
  async finish(params, results, client, run) {
    const { changeMapId, name, zones, flooded, population, cover } = params;
    const [people] = await results<PeopleSums>(PEOPLE);
    const [assets] = await results<CountedAssets>(ASSETS);
    const covers = await results<CoverSum[]>(COVER);
    const exposure: Exposure = {
      countedAt: new Date().toISOString(),
      zones: zones.map((zone) => zone.name),
      flooded,
      people:
        population && people
          ? { sceneId: population.sceneId, name: population.name, sums: people }
          : null,
      cover: cover && {
        sceneId: cover.sceneId,
        name: cover.name,
        classes: cover.info.classes ?? [],
        sums: coverSums(covers),
      },
      ...(assets ?? { layers: [], listed: [], affected: 0, cuts: [] }),
    };
    if (await setExposure(client, changeMapId, exposure)) {
      await addToLedger(client, run.studyId!, "Exposure counted", {
        ...{ changeMap: changeMapId, name },
        population: population?.name ?? null,
        cover: cover?.name ?? null,
        layers: params.layers.map((layer) => layer.name),
      });
      await touchStudy(client, run.studyId!);
    }
    return { changeMapId };
  },
  discard: async () => {},
};

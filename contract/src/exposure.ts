import type { AssetDepth, AssetPart } from "@hindglance/core/exposure/assets";
import type { CoverSum } from "@hindglance/core/exposure/cover";
import type { PeopleSums } from "@hindglance/core/exposure/people";
import type { RoadCut } from "@hindglance/core/exposure/roads";
import type { ClassInfo } from "@hindglance/core/graph/image";
import type { Shape } from "@hindglance/core/vector/features";
import * as yup from "yup";
import { route } from "./route";
import { type Of, list, ofCore, shape, uuid, uuidOrNull } from "./shapes";

/** Layers of assets that are counted in one go, at the most. */
export const MOST_LAYERS = 20;
/** Assets that are listed one by one, at the most. */
export const MOST_LISTED = 5000;

/** An asset that lies in some class of the map. */
export interface ListedAsset {
  /** Place of its layer among those that were counted. */
  layer: number;
  name: string;
  shape: Shape;
  parts: AssetPart[];
  depth: AssetDepth | null;
  /** Longitude and latitude. */
  at: [lon: number, lat: number];
}

/** How much of the assets of a layer lies in a class and a zone: how many, and points, metres or m². */
export interface LayerSum {
  shape: Shape;
  zone: number;
  label: number;
  count: number;
  amount: number;
}

/** A layer of assets as it was counted. */
export interface CountedLayer {
  overlayId: string;
  name: string;
  isRoads: boolean;
  features: number;
  sums: LayerSum[];
}

/** Who and what lies under the classes of a map. */
export interface Exposure {
  countedAt: string;
  /** Names of zones; zone k + 1 has the k-th. */
  zones: string[];
  /** Classes on which roads cannot be used. */
  flooded: number[];
  people: { sceneId: string; name: string; sums: PeopleSums } | null;
  cover: { sceneId: string; name: string; classes: ClassInfo[]; sums: CoverSum[] } | null;
  layers: CountedLayer[];
  /** Those that lie in some class of the map, as far as they are listed, and how many there are. */
  listed: ListedAsset[];
  affected: number;
  cuts: RoadCut[];
}

const ask = shape({
  /** A population grid of the study; null: people are not counted. */
  populationId: uuidOrNull,
  /** A classified raster of the study; null: land cover is not counted. */
  coverId: uuidOrNull,
  /** Overlays of the study whose features are counted. */
  overlayIds: list(uuid).max(MOST_LAYERS, `At most ${MOST_LAYERS} layers in one go`),
  /** Those of them that are roads. */
  roadIds: list(uuid),
  flooded: yup.array(yup.number().integer().min(1).max(254).required()).defined(),
});
/** What is to be counted. */
export type ExposureAsk = Of<typeof ask>;

/** Routes of who and what lies under the classes of a map. */
export const exposureRoutes = {
  /** What was counted last; null where nothing was. */
  find: route({
    method: "GET",
    path: "/change-maps/:id/exposure",
    answer: shape({ exposure: ofCore<Exposure>().nullable().defined() }),
  }),
  /** Counts it, in a run; it takes the place of what was counted before. */
  count: route({
    method: "POST",
    path: "/change-maps/:id/exposure",
    body: ask,
    answer: shape({ runId: uuid }),
  }),
};

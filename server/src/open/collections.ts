import type { ImageInfo } from "@hindglance/core/graph/image";
import { COLLECTION_END, collectionHead } from "@hindglance/formats/tables/geojson";
import { type ChangeMap, listChangeMaps } from "../db/changeMaps";
import { findImage } from "../db/images";
import { largestPatches, openPatches } from "../db/open";
import { listPins } from "../db/pins";
import type { Client } from "../db/pool";
import { studyZones } from "../db/scenes";
import { AppError } from "../errors";
import { patchFeatureText } from "../files/geojson";
import { boundsOfGrid } from "../products/catalogue/mapItem";
import { type FeatureAsk, standingsIn } from "./ask";

type Bounds = [number, number, number, number];
/** Features of a tile at the most. */
const MOST_IN_TILE = 10_000;
const WORLD: Bounds = [-180, -90, 180, 90];

/** A page of features, as text, and how many there are in all. */
export interface FeaturePage {
  features: string[];
  matched: number;
}

/** A collection of features that a study opens. */
export interface Collection {
  id: string;
  title: string;
  description: string;
  bounds: Bounds;
  /** Span of what it tells of; null ends are open. */
  interval: [string | null, string | null];
  /** Properties that can be asked by. */
  filters: string[];
  page(client: Client, ask: FeatureAsk): Promise<FeaturePage>;
  /** One feature by its id; null where there is none. */
  one(client: Client, id: string): Promise<string | null>;
  /** Features in a box, the largest first where there are more than a tile takes. */
  largest(client: Client, bbox: Bounds): Promise<string[]>;
  /** The map that it is of, which has a picture; null where it is of none. */
  mapId: string | null;
}

const iso = (time: string | null): string | null => (time ? new Date(time).toISOString() : null);

/** Whether a span that is asked for touches that of a collection. */
function isInSpan({ from, to }: FeatureAsk, [first, last]: Collection["interval"]): boolean {
  const begins = first ? Date.parse(first) : -Infinity;
  const ends = last ? Date.parse(last) : Infinity;
  return (from ?? -Infinity) <= ends && (to ?? Infinity) >= begins;
}

/** Labels of the classes that are asked for by name. @throws AppError 400 */
function labelsIn(value: string | undefined, { classes = [] }: ImageInfo): number[] | null {
  if (value === undefined) {
    return null;
  }
  const found = classes.filter(({ name }) => name === value).map(({ label }) => label);
  if (found.length === 0) {
    const names = classes.map(({ name }) => name).join(", ");
    throw new AppError(
      400,
      "invalid",
      `class: there is no class “${value}”; there are ${names}`,
      "class",
    );
  }
  return found;
}

/** Patches of a map. */
function patchCollection(map: ChangeMap, info: ImageInfo): Collection {
  const { provenance } = map;
  const interval: Collection["interval"] = [
    iso(provenance.before.acquiredAt),
    iso(provenance.after.acquiredAt),
  ];
  const textOf = patchFeatureText({ map, info });
  return {
    id: `patches-${map.id}`,
    title: `${map.name}: patches`,
    description: `${provenance.study}: ${provenance.before.name} and ${provenance.after.name}`,
    bounds: boundsOfGrid(info.grid),
    interval,
    filters: ["class", "verdict"],
    mapId: map.id,
    async largest(client, bbox) {
      return (await largestPatches(client, map.id, bbox, MOST_IN_TILE)).map(textOf);
    },
    async page(client, ask) {
      if (!isInSpan(ask, interval)) {
        return { features: [], matched: 0 };
      }
      const { count, patches } = await openPatches(client, map.id, {
        ...{ bbox: ask.bbox, limit: ask.limit, offset: ask.offset },
        labels: labelsIn(ask.properties.class, info),
        standings: standingsIn(ask.properties.verdict),
      });
      return { features: patches.map(textOf), matched: count };
    },
    async one(client, id) {
      const offset = Number(id) - 1;
      if (!Number.isInteger(offset) || offset < 0 || offset > 2 ** 31 - 2) {
        return null;
      }
      const ask = { bbox: null, labels: null, standings: null, limit: 1, offset };
      const [patch] = (await openPatches(client, map.id, ask)).patches;
      return patch?.number === offset + 1 ? textOf(patch) : null;
    },
  };
}

interface Plain {
  id: number;
  geometry: object;
  properties: Record<string, unknown>;
}

/** Longitudes and latitudes anywhere in a geometry. */
function positionsIn(value: unknown): [number, number][] {
  if (!Array.isArray(value)) {
    return [];
  }
  const all: unknown[] = value;
  const [x, y] = all;
  return typeof x === "number" && typeof y === "number" ? [[x, y]] : all.flatMap(positionsIn);
}

const boundsOf = (places: readonly [number, number][]): Bounds =>
  places.length === 0
    ? WORLD
    : [
        Math.min(...places.map(([x]) => x)),
        Math.min(...places.map(([, y]) => y)),
        Math.max(...places.map(([x]) => x)),
        Math.max(...places.map(([, y]) => y)),
      ];

const coordinatesOf = (geometry: object): unknown =>
  "coordinates" in geometry ? geometry.coordinates : [];

/** A collection of a few features that are all in memory. */
function plainCollection(
  about: Pick<Collection, "id" | "title" | "description">,
  all: readonly Plain[],
): Collection {
  const boxes = all.map(({ geometry }) => boundsOf(positionsIn(coordinatesOf(geometry))));
  const textOf = (feature: Plain) => JSON.stringify({ type: "Feature", ...feature });
  const isIn = (k: number, [west, south, east, north]: Bounds): boolean => {
    const [w, s, e, n] = boxes[k]!;
    return w <= east && e >= west && s <= north && n >= south;
  };
  return {
    ...about,
    mapId: null,
    largest: (_client, bbox) =>
      Promise.resolve(
        all
          .filter((_feature, k) => isIn(k, bbox))
          .slice(0, MOST_IN_TILE)
          .map(textOf),
      ),
    bounds: boundsOf(
      boxes.flatMap(([w, s, e, n]): [number, number][] => [
        [w, s],
        [e, n],
      ]),
    ),
    interval: [null, null],
    filters: ["name"],
    page: (_client, { bbox, limit, offset, properties }) => {
      const found = all.filter((feature, k) => {
        const isNamed =
          properties.name === undefined || feature.properties.name === properties.name;
        return (!bbox || isIn(k, bbox)) && isNamed;
      });
      const features = found.slice(offset, offset + limit).map(textOf);
      return Promise.resolve({ features, matched: found.length });
    },
    one: (_client, id) => {
      const feature = all.find((one) => String(one.id) === id);
      return Promise.resolve(feature ? textOf(feature) : null);
    },
  };
}

async function zoneCollection(client: Client, study: string): Promise<Collection[]> {
  const zones = await studyZones(client, study);
  if (!zones) {
    return [];
  }
  const all = zones.polygons.map(({ geometry, properties }, k) => ({
    ...{ id: k + 1, geometry, properties: { ...properties, name: properties[zones.nameField] } },
  }));
  const description = "Zones that areas are counted by";
  return [plainCollection({ id: "zones", title: zones.name, description }, all)];
}

async function pinCollection(client: Client, study: string): Promise<Collection[]> {
  const pins = await listPins(client, study);
  const all = pins.map(({ name, lon, lat, expected }, k) => ({
    id: k + 1,
    geometry: { type: "Point", coordinates: [lon, lat] },
    properties: { name, expected },
  }));
  const about = { id: "pins", title: "Pins", description: "Places whose values are read" };
  return pins.length > 0 ? [plainCollection(about, all)] : [];
}

/** Everything that a study opens as features. */
export async function collectionsOf(client: Client, study: string): Promise<Collection[]> {
  const out: Collection[] = [];
  for (const map of await listChangeMaps(client, study)) {
    const image = await findImage(client, map.imageId);
    if (image) {
      out.push(patchCollection(map, image.info));
    }
  }
  return [
    ...out,
    ...(await zoneCollection(client, study)),
    ...(await pinCollection(client, study)),
  ];
}

/** A page of features as one text. @param links of the page */
export const pageText = ({ features, matched }: FeaturePage, links: readonly object[]): string =>
  `${collectionHead({ numberMatched: matched, numberReturned: features.length, links })}\n${features.join(",\n")}${COLLECTION_END}`;

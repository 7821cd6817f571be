import GeoJSONVT from "geojson-vt";
import type { Feature } from "geojson";
import { fromGeojsonVt } from "vt-pbf";
import { isRecord } from "@hindglance/core/values";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { gridInSystem } from "@hindglance/core/grid/inSystem";
import { WEB_MERCATOR, type WebTile, isWebTile, tileBox } from "@hindglance/core/grid/webTiles";
import type { MapSide } from "@hindglance/core/sheet/marks";
import { type ChangeMap, findChangeMap } from "../db/changeMaps";
import { findImage } from "../db/images";
import type { Client, Database } from "../db/pool";
import { AppError, notFound } from "../errors";
import type { StoredSources } from "../eval/sources";
import type { PreviewPool } from "../preview/pool";
import { imagesOfSheet } from "../sheet/images";
import type { Collection } from "./collections";

/** What pictures are painted with. */
export interface Painting {
  db: Database;
  sources: StoredSources;
  previews: PreviewPool;
}

/** A tile out of what an address says. @throws AppError 400 */
export function tileIn(level: string, column: string, row: string): WebTile {
  const whole = (text: string) => (/^\d{1,8}$/.test(text) ? Number(text) : NaN);
  const tile = { level: whole(level), column: whole(column), row: whole(row) };
  if (!isWebTile(tile)) {
    throw new AppError(400, "invalid", `There is no tile ${level}/${column}/${row}`);
  }
  return tile;
}

/** Share of the side of a tile by which features reach over its ends. */
const ROOM = 1 / 16;
const EXTENT = 4096;

/** A feature out of the text that a collection gives. */
function featureFrom(text: string): Feature {
  const value: unknown = JSON.parse(text);
  if (!isFeature(value)) {
    throw new Error("A collection gave what is no feature");
  }
  return value;
}
const isFeature = (value: unknown): value is Feature =>
  isRecord(value) && value.type === "Feature" && isRecord(value.geometry);

/** Features of a collection in a tile, as vector tile (version 2.1); empty where none are. */
export async function vectorTile(
  client: Client,
  collection: Collection,
  tile: WebTile,
): Promise<Uint8Array> {
  const features = await collection.largest(client, tileBox(tile, ROOM));
  const index = new GeoJSONVT(
    { type: "FeatureCollection", features: features.map(featureFrom) },
    { maxZoom: tile.level, indexMaxZoom: 0, extent: EXTENT, buffer: EXTENT * ROOM },
  );
  const cut = index.getTile(tile.level, tile.column, tile.row);
  return cut ? fromGeojsonVt({ [collection.id]: cut }, { version: 2 }) : new Uint8Array(0);
}

/** Colours of the classes of a map, without patterns: a map program shows them on a screen. */
const stylesOf = (classes: readonly { label: number; color: string }[]) =>
  new Map(classes.map(({ label, color }) => [label, { color, pattern: "plain" as const }]));

/** @throws AppError 404 where the map is not one of the study */
async function mapOf(client: Client, study: string, id: string) {
  const map = await findChangeMap(client, id);
  const image = map?.studyId === study ? await findImage(client, map.imageId) : null;
  if (!map || !image) {
    throw notFound("map");
  }
  return { map, info: image.info };
}

/** A tile of the picture of a map as PNG. @throws AppError 404 */
export async function pictureTile(
  { db, sources, previews }: Painting,
  { study, map: id }: { study: string; map: string },
  side: MapSide,
  tile: WebTile,
): Promise<Uint8Array> {
  const { map, info } = await db.withClient((client) => mapOf(client, study, id));
  const evaluator = new Evaluator({ sources });
  const grid = mercatorGrid(map, info.grid);
  const styles = stylesOf(info.classes ?? []);
  const found = await imagesOfSheet({ db, sources, evaluator }, map, info, styles, grid);
  if (found.lacks !== null && side !== "change") {
    throw new AppError(404, "notFound", found.lacks);
  }
  return previews.webTile({ images: found.images, side, tile });
}

function mercatorGrid({ name }: ChangeMap, grid: Parameters<typeof gridInSystem>[0]) {
  try {
    return gridInSystem(grid, WEB_MERCATOR, null);
  } catch (error) {
    throw error instanceof InputError
      ? new AppError(404, "notFound", `${name} does not lie where Web Mercator reaches`)
      : error;
  }
}

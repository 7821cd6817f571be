import type { ClassInfo, ImageInfo } from "@hindglance/core/graph/image";
import { nearLongitude } from "@hindglance/core/grid/globe";
import type { Grid } from "@hindglance/core/grid/grid";
import type { Position } from "@hindglance/core/vector/polygons";
import type { ChangeMap } from "../../db/changeMaps";
import { footprint } from "../footprint";

/** A file that an item leads to. */
export interface ItemAsset {
  href: string;
  title: string;
  media: string;
  roles: string[];
  /** Of its bytes; null where they are not known. */
  sha256: string | null;
}

interface Link {
  rel: string;
  href: string;
  type: string;
  title?: string;
}

const EXTENSIONS = {
  projection: "https://stac-extensions.github.io/projection/v1.1.0/schema.json",
  file: "https://stac-extensions.github.io/file/v2.1.0/schema.json",
  classification: "https://stac-extensions.github.io/classification/v2.0.0/schema.json",
  processing: "https://stac-extensions.github.io/processing/v1.2.0/schema.json",
};

/** What begins a multihash of SHA-256: its code, and how many bytes follow. */
const SHA256_MULTIHASH = "1220";

const ringOf = (west: number, south: number, east: number, north: number): Position[] => [
  [west, south],
  [east, south],
  [east, north],
  [west, north],
  [west, south],
];

/** Ends of a grid in longitude and latitude; past the date line its west is greater than its east. */
export function boundsOfGrid(grid: Grid): [number, number, number, number] {
  const ring = footprint(grid);
  const [lons, lats] = [ring.map(([lon]) => lon), ring.map(([, lat]) => lat)];
  const [west, east] = [Math.min(...lons), Math.max(...lons)];
  const [south, north] = [Math.min(...lats), Math.max(...lats)];
  return [nearLongitude(west, 0), south, nearLongitude(east, 0), north];
}

/** Where a grid lies: its outline, or over the date line two boxes, as RFC 7946 wants it. */
function geometryOf(grid: Grid) {
  const [west, south, east, north] = boundsOfGrid(grid);
  if (west <= east) {
    return { type: "Polygon", coordinates: [footprint(grid)] };
  }
  return {
    type: "MultiPolygon",
    coordinates: [[ringOf(west, south, 180, north)], [ringOf(-180, south, east, north)]],
  };
}

/** Names that machines read: letters, digits, hyphens and underscores. */
const machineName = ({ name, label }: ClassInfo): string =>
  name
    .normalize("NFKD")
    .replace(/[^A-Za-z0-9]+/g, "_")
    .replace(/^_+|_+$/g, "")
    .toLowerCase() || `class_${label}`;

const classesOf = ({ classes = [] }: ImageInfo) =>
  classes.map((one) => ({
    value: one.label,
    name: machineName(one),
    title: one.name,
    color_hint: one.color.slice(1).toUpperCase(),
  }));

/** The system of a grid, and how its cells lie in it, as the projection extension says it. */
export function projectionOf({ crs, transform, width, height }: Grid) {
  const code = /^EPSG:(\d+)$/.exec(crs.code)?.[1];
  const [x, across, alongX, y, alongY, down] = transform;
  return {
    "proj:epsg": code ? Number(code) : null,
    "proj:shape": [height, width],
    "proj:transform": [across, alongX, x, alongY, down, y],
  };
}

/** When what a map tells of was the case: both dates, and the later one. */
function timesOf({ before, after, writtenAt }: ChangeMap["provenance"]) {
  const known = [before.acquiredAt, after.acquiredAt].filter((one) => one !== null);
  const inOrder = known.map((one) => new Date(one).toISOString()).sort();
  const last = inOrder.at(-1) ?? writtenAt;
  return {
    datetime: new Date(last).toISOString(),
    ...(inOrder.length > 1 ? { start_datetime: inOrder[0], end_datetime: last } : {}),
  };
}

const assetOf = ({ href, title, media, roles, sha256 }: ItemAsset, info: ImageInfo) => ({
  ...{ href, title, type: media, roles },
  ...(roles.includes("classes") ? { "classification:classes": classesOf(info) } : {}),
  ...(sha256 ? { "file:checksum": `${SHA256_MULTIHASH}${sha256}` } : {}),
});

/**
 * A change map as an item of a catalogue. Source: STAC 1.0.0, item specification, with the extensions
 * that it names.
 * @param assets by the keys that they get
 */
export function mapItem(
  map: ChangeMap,
  info: ImageInfo,
  assets: Record<string, ItemAsset>,
  links: readonly Link[] = [],
) {
  const { provenance } = map;
  const [program, version] = provenance.program.split(/ (?=\S+$)/);
  return {
    type: "Feature",
    stac_version: "1.0.0",
    stac_extensions: Object.values(EXTENSIONS),
    id: map.id,
    bbox: boundsOfGrid(info.grid),
    geometry: geometryOf(info.grid),
    properties: {
      title: map.name,
      description: `${provenance.study}: ${provenance.before.name} and ${provenance.after.name}`,
      ...timesOf(provenance),
      created: provenance.writtenAt,
      "processing:software": { [program!]: version ?? "" },
      ...projectionOf(info.grid),
    },
    links,
    assets: Object.fromEntries(
      Object.entries(assets).map(([key, asset]) => [key, assetOf(asset, info)]),
    ),
  };
}

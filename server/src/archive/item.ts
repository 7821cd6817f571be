import * as yup from "yup";
import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { Expected } from "./fetchAsset";

export type ArchiveKind = "radar" | "elevation" | "orbit";
export interface Collection {
  id: string;
  title: string;
  kind: ArchiveKind | null;
}
interface Asset {
  href: string;
  mediaType: string;
  bytes: number | null;
  sha256: string | null;
  begins: Expected["begins"];
  fileName: string;
}
/** What the archive has, as far as it concerns us. Times are UTC texts. */
export interface ArchiveItem {
  id: string;
  collection: string;
  kind: ArchiveKind;
  title: string;
  from: string;
  to: string;
  footprint: MultiPolygon | null;
  pass: string | null;
  polarisations: string[];
  mode: string | null;
  platform: string | null;
  absoluteOrbit: number | null;
  asset: Asset;
  thumbnail: string | null;
}
export interface ArchiveQuery {
  kind: ArchiveKind;
  from: string | null;
  to: string | null;
  area: MultiPolygon | null;
  pass?: string | null;
  polarisation?: string | null;
  limit: number;
  next?: string | null;
}
export interface ArchiveAnswer {
  items: ArchiveItem[];
  next: string | null;
  /** Results that did not answer the question or could not be read. */
  leftOut: number;
}

const assetSchema = yup.object({
  href: yup.string().required(),
  type: yup.string(),
  roles: yup.array(yup.string().required()),
  "file:size": yup.number().integer().min(1),
  "file:checksum": yup.string(),
});
const itemSchema = yup.object({
  id: yup.string().max(300).required(),
  collection: yup.string().max(200).required(),
  geometry: yup.mixed<object>().nullable().defined(),
  properties: yup.mixed<Record<string, unknown>>().required(),
  assets: yup.mixed<Record<string, unknown>>().required(),
});

const text = (value: unknown): string | null =>
  typeof value === "string" && value.trim() ? value : null;

const ASSETS: Record<
  ArchiveKind,
  { test(type: string, href: string): boolean; begins: Expected["begins"] }
> = {
  radar: { test: (type, href) => /zip/.test(type) || /\.zip$/i.test(href), begins: "zip" },
  elevation: {
    test: (type, href) => /image\/tiff/.test(type) || /\.tiff?$/i.test(href),
    begins: "tiff",
  },
  orbit: { test: (_type, href) => /\.EOF$/i.test(href), begins: "xml" },
};

type FoundAsset = yup.InferType<typeof assetSchema>;

/** A value as a schema reads it; null where it does not fit. */
function fitting<T>(schema: yup.Schema<T>, value: unknown): T | null {
  try {
    return schema.validateSync(value);
  } catch {
    return null;
  }
}

/** An address without what is asked of it. */
const pathOf = (href: string): string => href.split(/[?#]/)[0]!;

const isPicture = ({ roles, type }: FoundAsset): boolean =>
  !!roles?.includes("thumbnail") ||
  (!!roles?.includes("overview") && /image\/(png|jpeg|webp)/.test(type ?? ""));

/** The file of an item, as it is fetched and kept. */
function assetOf(found: FoundAsset, kind: ArchiveKind, id: string): Asset {
  const name = decodeURIComponent(pathOf(found.href).split("/").pop() ?? "");
  const checksum = /^1220([0-9a-f]{64})$/i.exec(found["file:checksum"] ?? "")?.[1];
  return {
    href: found.href,
    mediaType: found.type ?? "",
    bytes: found["file:size"] ?? null,
    sha256: checksum?.toLowerCase() ?? null,
    begins: ASSETS[kind].begins,
    fileName: name.replace(/[^\w.()-]/g, "_").slice(0, 200) || id,
  };
}

/** First and last moment of an item; null where they are no times. */
function spanOf(properties: Record<string, unknown>): { from: string; to: string } | null {
  const from = text(properties.start_datetime) ?? text(properties.datetime);
  const to = text(properties.end_datetime) ?? text(properties.datetime);
  const isTime = (one: string | null) => one !== null && !Number.isNaN(Date.parse(one));
  return from && to && isTime(from) && isTime(to) ? { from, to } : null;
}

/** Where an item lies; undefined where that cannot be read. */
function footprintOf(geometry: object | null): MultiPolygon | null | undefined {
  try {
    return geometry ? multiPolygonFrom(geometry) : null;
  } catch {
    return undefined;
  }
}

/** What the properties say of an item besides its time. */
function saidOf(properties: Record<string, unknown>) {
  const polarisations = properties["sar:polarizations"];
  const orbit = properties["sat:absolute_orbit"];
  return {
    pass: text(properties["sat:orbit_state"]),
    polarisations: Array.isArray(polarisations) ? polarisations.map(String) : [],
    mode: text(properties["sar:instrument_mode"]),
    platform: text(properties.platform),
    absoluteOrbit: typeof orbit === "number" ? orbit : null,
  };
}

/** An item in our terms; null when it is of no use here. */
export function itemOf(value: unknown, collections: readonly Collection[]): ArchiveItem | null {
  const found = fitting(itemSchema, value);
  const kind = collections.find(({ id }) => id === found?.collection)?.kind;
  if (!found || !kind) {
    return null;
  }
  const { id, collection, properties, geometry } = found;
  const assets = Object.values(found.assets).flatMap((one) => fitting(assetSchema, one) ?? []);
  const main = assets.find(({ type, href }) => ASSETS[kind].test(type ?? "", pathOf(href)));
  const span = spanOf(properties);
  const footprint = footprintOf(geometry);
  if (!main || !span || footprint === undefined) {
    return null;
  }
  return {
    id,
    collection,
    kind,
    title: text(properties.title) ?? id,
    ...span,
    footprint,
    ...saidOf(properties),
    asset: assetOf(main, kind, id),
    thumbnail: assets.find(isPicture)?.href ?? null,
  };
}

/** West, south, east, north in degrees. */
export type Box = [west: number, south: number, east: number, north: number];

/** Box around an area. */
export function boxOf(area: MultiPolygon): Box {
  const corners = area.flatMap((polygon) => polygon[0]!);
  const xs = corners.map(([x]) => x);
  const ys = corners.map(([, y]) => y);
  return [Math.min(...xs), Math.min(...ys), Math.max(...xs), Math.max(...ys)];
}

/** Whether an item may lie in a box. Only orbit files lie nowhere. */
function meets({ footprint, kind }: ArchiveItem, [west, south, east, north]: Box): boolean {
  if (!footprint) {
    return kind === "orbit";
  }
  const [w, s, e, n] = boxOf(footprint);
  return e >= west && w <= east && n >= south && s <= north;
}

/** Whether an item is what was asked for: an archive may answer more than that. */
export function fits(item: ArchiveItem, query: ArchiveQuery, box: Box | null): boolean {
  const { kind, from, to, pass, polarisation } = query;
  return (
    item.kind === kind &&
    !(from && Date.parse(item.to) < Date.parse(from)) &&
    !(to && Date.parse(item.from) > Date.parse(to)) &&
    (!pass || item.pass === pass) &&
    (!polarisation || item.polarisations.includes(polarisation)) &&
    (!box || meets(item, box))
  );
}

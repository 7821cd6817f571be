import * as yup from "yup";
import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { AppError } from "../errors";
import {
  type ArchiveSettings,
  type Expected,
  allowedUrl,
  archiveError,
  askJson,
  fetchAsset,
} from "./transport";
import { messageOf } from "@hindglance/core/errors";

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
  /** Results that did not answer the question or could not be read. */ leftOut: number;
}

const link = yup.object({
  rel: yup.string().required(),
  href: yup.string().required(),
  method: yup.string(),
  body: yup.mixed<Record<string, unknown>>(),
});
const landingSchema = yup.object({
  title: yup.string(),
  id: yup.string(),
  conformsTo: yup.array(yup.string().required()),
  links: yup.array(link).required(),
});
const collectionsSchema = yup.object({
  collections: yup
    .array(
      yup.object({
        id: yup.string().required(),
        title: yup.string(),
        keywords: yup.array(yup.string().required()),
      }),
    )
    .required(),
});
const itemsSchema = yup.object({
  features: yup.array(yup.mixed<Record<string, unknown>>().required()).required(),
  links: yup.array(link),
});
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

const read = <T extends yup.AnyObject>(
  schema: yup.ObjectSchema<T>,
  value: unknown,
  what: string,
): T => {
  try {
    return schema.validateSync(value) as T;
  } catch (error) {
    throw archiveError(`The archive's ${what} cannot be read: ${messageOf(error)}`);
  }
};
const text = (value: unknown): string | null =>
  typeof value === "string" && value.trim() ? value : null;
const REMEMBER_MS = 300_000;

/**
 * An archive that speaks the STAC API: what it has, searching it, and its files. Source: STAC API
 * 1.0 (core, collections, item search, query).
 */
export class Archive {
  private about: {
    at: number;
    promise: Promise<{
      title: string;
      search: string;
      post: boolean;
      query: boolean;
      collections: Collection[];
      collectionsUrl: string;
    }>;
  } | null = null;
  constructor(readonly settings: ArchiveSettings) {}

  private landing() {
    if (this.about && Date.now() - this.about.at < REMEMBER_MS) {
      return this.about.promise;
    }
    const promise = (async () => {
      const landing = read(
        landingSchema,
        await askJson(this.settings.url, this.settings),
        "front page",
      );
      const href = (rel: string, method?: string) =>
        landing.links.find(
          (x) => x.rel === rel && (!method || (x.method ?? "GET").toUpperCase() === method),
        )?.href ?? null;
      const post = href("search", "POST");
      const search = post ?? href("search");
      const data = href("data");
      if (!search || !data) {
        throw archiveError(
          "The archive offers no item search",
          "An archive that speaks the STAC API with item search is needed.",
        );
      }
      const at = (h: string) => allowedUrl(h, this.settings.url, this.settings).href;
      const list = read(
        collectionsSchema,
        await askJson(at(data), this.settings),
        "list of collections",
      );
      return {
        title: landing.title ?? landing.id ?? "Archive",
        search: at(search),
        post: post !== null,
        query: (landing.conformsTo ?? []).some((c) => /item-search#query$/.test(c)),
        collectionsUrl: at(data),
        collections: list.collections.map((collection): Collection => ({
          id: collection.id,
          title: collection.title ?? collection.id,
          kind: kindOfWords([
            ...(collection.keywords ?? []),
            collection.id,
            collection.title ?? "",
          ]),
        })),
      };
    })();
    this.about = { at: Date.now(), promise };
    promise.catch(() => {
      this.about = null;
    });
    return promise;
  }

  async describe(): Promise<{ title: string; host: string; kinds: ArchiveKind[] }> {
    const landing = await this.landing();
    return {
      title: landing.title,
      host: new URL(this.settings.url).host,
      kinds: [
        ...new Set(
          landing.collections.map((collection) => collection.kind).filter((k) => k !== null),
        ),
      ],
    };
  }

  async search(query: ArchiveQuery): Promise<ArchiveAnswer> {
    const landing = await this.landing();
    const collections = landing.collections
      .filter((collection) => collection.kind === query.kind)
      .map((collection) => collection.id);
    if (collections.length === 0) {
      return { items: [], next: null, leftOut: 0 };
    }
    const datetime = query.from || query.to ? `${query.from ?? ".."}/${query.to ?? ".."}` : null;
    const bbox = query.area ? boxOf(query.area) : null;
    const wanted: Record<string, unknown> = {
      ...(query.pass ? { "sat:orbit_state": { eq: query.pass } } : {}),
    };
    const body = {
      collections,
      limit: query.limit,
      ...(datetime ? { datetime } : {}),
      ...(bbox ? { bbox } : {}),
      ...(landing.query && Object.keys(wanted).length ? { query: wanted } : {}),
    };
    let answer: unknown;
    if (query.next) {
      const n = parseNext(query.next);
      answer = await askJson(
        allowedUrl(n.href, this.settings.url, this.settings).href,
        this.settings,
        n.body ?? undefined,
      );
    } else if (landing.post) {
      answer = await askJson(landing.search, this.settings, body);
    } else {
      const url = new URL(landing.search);
      url.searchParams.set("collections", collections.join(","));
      url.searchParams.set("limit", String(query.limit));
      if (datetime) {
        url.searchParams.set("datetime", datetime);
      }
      if (bbox) {
        url.searchParams.set("bbox", bbox.join(","));
      }
      answer = await askJson(url.href, this.settings);
    }
    const page = read(itemsSchema, answer, "answer");
    const items: ArchiveItem[] = [];
    let leftOut = 0;
    // An archive may answer more than it was asked: only what fits is shown.
    for (const feature of page.features) {
      const archiveItem = itemOf(feature, landing.collections);
      if (archiveItem && archiveItem.kind === query.kind && fits(archiveItem, query, bbox)) {
        items.push(archiveItem);
      } else {
        leftOut++;
      }
    }
    const next = page.links?.find((x) => x.rel === "next");
    return {
      items,
      leftOut,
      next: next ? JSON.stringify({ href: next.href, body: next.body ?? null }) : null,
    };
  }

  /** One item as the archive describes it now. */
  async item(collection: string, id: string): Promise<ArchiveItem> {
    const landing = await this.landing();
    const address = `${landing.collectionsUrl.replace(/\/$/, "")}/${encodeURIComponent(collection)}/items/${encodeURIComponent(id)}`;
    const archiveItem = itemOf(await askJson(address, this.settings), landing.collections);
    if (!archiveItem) {
      throw archiveError(`The archive describes ${id} in a way that cannot be read`);
    }
    if (archiveItem.id !== id || archiveItem.collection !== collection) {
      throw archiveError(`The archive answers with ${archiveItem.id} when asked for ${id}`);
    }
    return archiveItem;
  }

  file(
    archiveItem: ArchiveItem,
    maxBytes: number,
    signal: AbortSignal,
  ): AsyncGenerator<Uint8Array> {
    return fetchAsset(
      archiveItem.asset.href,
      this.settings,
      {
        name: archiveItem.asset.fileName,
        bytes: archiveItem.asset.bytes,
        maxBytes,
        begins: archiveItem.asset.begins,
      },
      signal,
    );
  }
  async thumbnail(archiveItem: ArchiveItem): Promise<Buffer> {
    if (!archiveItem.thumbnail) {
      throw new AppError(404, "notFound", "The archive has no picture of this");
    }
    const parts: Uint8Array[] = [];
    for await (const chunk of fetchAsset(
      archiveItem.thumbnail,
      this.settings,
      {
        name: `the picture of ${archiveItem.title}`,
        bytes: null,
        maxBytes: 3 << 20,
        begins: "picture",
      },
      AbortSignal.timeout(this.settings.timeoutMs),
    )) {
      parts.push(chunk);
    }
    return Buffer.concat(parts);
  }
}

function kindOfWords(words: string[]): ArchiveKind | null {
  const w = words.join(" ").toLowerCase();
  if (/\borbits?\b|poeorb|resorb/.test(w)) {
    return "orbit";
  }
  if (/\b(elevation|dem|dsm|dtm|terrain)\b/.test(w)) {
    return "elevation";
  }
  if (/\b(radar|sar|grd)\b/.test(w)) {
    return "radar";
  }
  return null;
}

const ASSETS: Record<
  ArchiveKind,
  { test(type: string, href: string): boolean; begins: Expected["begins"] }
> = {
  radar: { test: (t, h) => /zip/.test(t) || /\.zip$/i.test(h), begins: "zip" },
  elevation: { test: (t, h) => /image\/tiff/.test(t) || /\.tiff?$/i.test(h), begins: "tiff" },
  orbit: { test: (_t, h) => /\.EOF$/i.test(h), begins: "xml" },
};

/** An item in our terms; null when it is of no use here. */
export function itemOf(value: unknown, collections: readonly Collection[]): ArchiveItem | null {
  let i: yup.InferType<typeof itemSchema>;
  try {
    i = itemSchema.validateSync(value);
  } catch {
    return null;
  }
  const kind = collections.find((collection) => collection.id === i.collection)?.kind ?? null;
  const properties = i.properties;
  if (!kind) {
    return null;
  }
  const assets = Object.values(i.assets).flatMap((a) => {
    try {
      return [assetSchema.validateSync(a)];
    } catch {
      return [];
    }
  });
  const path = (h: string) => h.split(/[?#]/)[0]!;
  const main = assets.find((asset) => ASSETS[kind].test(asset.type ?? "", path(asset.href)));
  const picture = assets.find(
    (asset) =>
      asset.roles?.includes("thumbnail") ||
      (asset.roles?.includes("overview") && /image\/(png|jpeg|webp)/.test(asset.type ?? "")),
  );
  const from = text(properties.start_datetime) ?? text(properties.datetime);
  const to = text(properties.end_datetime) ?? text(properties.datetime);
  if (!main || !from || !to || Number.isNaN(Date.parse(from)) || Number.isNaN(Date.parse(to))) {
    return null;
  }
  let footprint: MultiPolygon | null = null;
  try {
    footprint = i.geometry ? multiPolygonFrom(i.geometry) : null;
  } catch {
    return null;
  }
  const fileName =
    decodeURIComponent(path(main.href).split("/").pop() ?? "")
      .replace(/[^\w.()-]/g, "_")
      .slice(0, 200) || i.id;
  const checksum =
    /^1220([0-9a-f]{64})$/i.exec(main["file:checksum"] ?? "")?.[1]?.toLowerCase() ?? null;
  return {
    id: i.id,
    collection: i.collection,
    kind,
    title: text(properties.title) ?? i.id,
    from,
    to,
    footprint,
    pass: text(properties["sat:orbit_state"]),
    polarisations: Array.isArray(properties["sar:polarizations"])
      ? properties["sar:polarizations"].map(String)
      : [],
    mode: text(properties["sar:instrument_mode"]),
    platform: text(properties.platform),
    absoluteOrbit:
      typeof properties["sat:absolute_orbit"] === "number"
        ? properties["sat:absolute_orbit"]
        : null,
    asset: {
      href: main.href,
      mediaType: main.type ?? "",
      bytes: main["file:size"] ?? null,
      sha256: checksum,
      begins: ASSETS[kind].begins,
      fileName,
    },
    thumbnail: picture?.href ?? null,
  };
}

function boxOf(area: MultiPolygon): [number, number, number, number] {
  const point = area.flatMap((x) => x[0]!);
  return [
    Math.min(...point.map((x) => x[0])),
    Math.min(...point.map((x) => x[1])),
    Math.max(...point.map((x) => x[0])),
    Math.max(...point.map((x) => x[1])),
  ];
}
function fits(
  archiveItem: ArchiveItem,
  query: ArchiveQuery,
  box: [number, number, number, number] | null,
): boolean {
  if (query.from && Date.parse(archiveItem.to) < Date.parse(query.from)) {
    return false;
  }
  if (query.to && Date.parse(archiveItem.from) > Date.parse(query.to)) {
    return false;
  }
  if (query.pass && archiveItem.pass !== query.pass) {
    return false;
  }
  if (query.polarisation && !archiveItem.polarisations.includes(query.polarisation)) {
    return false;
  }
  if (box && archiveItem.footprint) {
    const b = boxOf(archiveItem.footprint);
    if (b[2] < box[0] || b[0] > box[2] || b[3] < box[1] || b[1] > box[3]) {
      return false;
    }
  }
  return !(box && !archiveItem.footprint && archiveItem.kind !== "orbit");
}
function parseNext(s: string): { href: string; body: object | null } {
  try {
    const value = JSON.parse(s) as { href?: unknown; body?: unknown };
    if (typeof value.href === "string") {
      return { href: value.href, body: typeof value.body === "object" ? value.body : null };
    }
  } catch {
    /* below */
  }
  throw new AppError(
    422,
    "invalid",
    "This page of results is not one of the archive",
    "next",
    "Search again.",
  );
}

/** The archive that this process was told of; null when it was told of none. */
export function archiveFromEnv(env: NodeJS.ProcessEnv = process.env): Archive | null {
  const url = env.ARCHIVE_URL?.trim();
  if (!url) {
    return null;
  }
  const list = [
    url,
    ...(env.ARCHIVE_FILES ?? "")
      .split(",")
      .map((s) => s.trim())
      .filter(Boolean),
  ];
  for (const address of list) {
    let ok = false;
    try {
      ok = /^https?:$/.test(new URL(address).protocol);
    } catch {
      /* said below */
    }
    if (!ok) {
      throw new Error(
        `ARCHIVE_URL and ARCHIVE_FILES must be http or https addresses, not "${address}"`,
      );
    }
  }
  const seconds = Number(env.ARCHIVE_TIMEOUT_S ?? 20);
  if (!(seconds > 0)) {
    throw new Error(
      `ARCHIVE_TIMEOUT_S must be a number of seconds, not "${env.ARCHIVE_TIMEOUT_S}"`,
    );
  }
  return new Archive({ url, alsoFrom: list.slice(1), timeoutMs: seconds * 1000 });
}

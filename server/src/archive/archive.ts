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
  v: unknown,
  what: string,
): T => {
  try {
    return schema.validateSync(v) as T;
  } catch (e) {
    throw archiveError(`The archive's ${what} cannot be read: ${(e as Error).message}`);
  }
};
const text = (v: unknown): string | null => (typeof v === "string" && v.trim() ? v : null);
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
      const l = read(landingSchema, await askJson(this.settings.url, this.settings), "front page");
      const href = (rel: string, method?: string) =>
        l.links.find(
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
        title: l.title ?? l.id ?? "Archive",
        search: at(search),
        post: post !== null,
        query: (l.conformsTo ?? []).some((c) => /item-search#query$/.test(c)),
        collectionsUrl: at(data),
        collections: list.collections.map((c): Collection => ({
          id: c.id,
          title: c.title ?? c.id,
          kind: kindOfWords([...(c.keywords ?? []), c.id, c.title ?? ""]),
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
    const l = await this.landing();
    return {
      title: l.title,
      host: new URL(this.settings.url).host,
      kinds: [...new Set(l.collections.map((c) => c.kind).filter((k) => k !== null))],
    };
  }

  async search(q: ArchiveQuery): Promise<ArchiveAnswer> {
    const l = await this.landing();
    const collections = l.collections.filter((c) => c.kind === q.kind).map((c) => c.id);
    if (collections.length === 0) {
      return { items: [], next: null, leftOut: 0 };
    }
    const datetime = q.from || q.to ? `${q.from ?? ".."}/${q.to ?? ".."}` : null;
    const bbox = q.area ? boxOf(q.area) : null;
    const wanted: Record<string, unknown> = {
      ...(q.pass ? { "sat:orbit_state": { eq: q.pass } } : {}),
    };
    const body = {
      collections,
      limit: q.limit,
      ...(datetime ? { datetime } : {}),
      ...(bbox ? { bbox } : {}),
      ...(l.query && Object.keys(wanted).length ? { query: wanted } : {}),
    };
    let answer: unknown;
    if (q.next) {
      const n = parseNext(q.next);
      answer = await askJson(
        allowedUrl(n.href, this.settings.url, this.settings).href,
        this.settings,
        n.body ?? undefined,
      );
    } else if (l.post) {
      answer = await askJson(l.search, this.settings, body);
    } else {
      const u = new URL(l.search);
      u.searchParams.set("collections", collections.join(","));
      u.searchParams.set("limit", String(q.limit));
      if (datetime) {
        u.searchParams.set("datetime", datetime);
      }
      if (bbox) {
        u.searchParams.set("bbox", bbox.join(","));
      }
      answer = await askJson(u.href, this.settings);
    }
    const page = read(itemsSchema, answer, "answer");
    const items: ArchiveItem[] = [];
    let leftOut = 0;
    // An archive may answer more than it was asked: only what fits is shown.
    for (const f of page.features) {
      const i = itemOf(f, l.collections);
      if (i && i.kind === q.kind && fits(i, q, bbox)) {
        items.push(i);
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
    const l = await this.landing();
    const u = `${l.collectionsUrl.replace(/\/$/, "")}/${encodeURIComponent(collection)}/items/${encodeURIComponent(id)}`;
    const i = itemOf(await askJson(u, this.settings), l.collections);
    if (!i) {
      throw archiveError(`The archive describes ${id} in a way that cannot be read`);
    }
    if (i.id !== id || i.collection !== collection) {
      throw archiveError(`The archive answers with ${i.id} when asked for ${id}`);
    }
    return i;
  }

  file(i: ArchiveItem, maxBytes: number, signal: AbortSignal): AsyncGenerator<Uint8Array> {
    return fetchAsset(
      i.asset.href,
      this.settings,
      { name: i.asset.fileName, bytes: i.asset.bytes, maxBytes, begins: i.asset.begins },
      signal,
    );
  }
  async thumbnail(i: ArchiveItem): Promise<Buffer> {
    if (!i.thumbnail) {
      throw new AppError(404, "notFound", "The archive has no picture of this");
    }
    const parts: Uint8Array[] = [];
    for await (const p of fetchAsset(
      i.thumbnail,
      this.settings,
      { name: `the picture of ${i.title}`, bytes: null, maxBytes: 3 << 20, begins: "picture" },
      AbortSignal.timeout(this.settings.timeoutMs),
    )) {
      parts.push(p);
    }
    return Buffer.concat(parts);
  }
}

function kindOfWords(words: string[]): ArchiveKind | null {
  const w = words.join(" ").toLowerCase();
  return /\borbits?\b|poeorb|resorb/.test(w)
    ? "orbit"
    : /\b(elevation|dem|dsm|dtm|terrain)\b/.test(w)
      ? "elevation"
      : /\b(radar|sar|grd)\b/.test(w)
        ? "radar"
        : null;
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
export function itemOf(v: unknown, collections: readonly Collection[]): ArchiveItem | null {
  let i: yup.InferType<typeof itemSchema>;
  try {
    i = itemSchema.validateSync(v);
  } catch {
    return null;
  }
  const kind = collections.find((c) => c.id === i.collection)?.kind ?? null;
  const p = i.properties;
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
  const main = assets.find((a) => ASSETS[kind].test(a.type ?? "", path(a.href)));
  const picture = assets.find(
    (a) =>
      a.roles?.includes("thumbnail") ||
      (a.roles?.includes("overview") && /image\/(png|jpeg|webp)/.test(a.type ?? "")),
  );
  const from = text(p.start_datetime) ?? text(p.datetime);
  const to = text(p.end_datetime) ?? text(p.datetime);
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
    title: text(p.title) ?? i.id,
    from,
    to,
    footprint,
    pass: text(p["sat:orbit_state"]),
    polarisations: Array.isArray(p["sar:polarizations"]) ? p["sar:polarizations"].map(String) : [],
    mode: text(p["sar:instrument_mode"]),
    platform: text(p.platform),
    absoluteOrbit: typeof p["sat:absolute_orbit"] === "number" ? p["sat:absolute_orbit"] : null,
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
  const p = area.flatMap((x) => x[0]!);
  return [
    Math.min(...p.map((x) => x[0])),
    Math.min(...p.map((x) => x[1])),
    Math.max(...p.map((x) => x[0])),
    Math.max(...p.map((x) => x[1])),
  ];
}
function fits(
  i: ArchiveItem,
  q: ArchiveQuery,
  box: [number, number, number, number] | null,
): boolean {
  if (q.from && Date.parse(i.to) < Date.parse(q.from)) {
    return false;
  }
  if (q.to && Date.parse(i.from) > Date.parse(q.to)) {
    return false;
  }
  if (q.pass && i.pass !== q.pass) {
    return false;
  }
  if (q.polarisation && !i.polarisations.includes(q.polarisation)) {
    return false;
  }
  if (box && i.footprint) {
    const b = boxOf(i.footprint);
    if (b[2] < box[0] || b[0] > box[2] || b[3] < box[1] || b[1] > box[3]) {
      return false;
    }
  }
  return !(box && !i.footprint && i.kind !== "orbit");
}
function parseNext(s: string): { href: string; body: object | null } {
  try {
    const v = JSON.parse(s) as { href?: unknown; body?: unknown };
    if (typeof v.href === "string") {
      return { href: v.href, body: typeof v.body === "object" ? v.body : null };
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
  for (const u of list) {
    let ok = false;
    try {
      ok = /^https?:$/.test(new URL(u).protocol);
    } catch {
      /* said below */
    }
    if (!ok) {
      throw new Error(`ARCHIVE_URL and ARCHIVE_FILES must be http or https addresses, not "${u}"`);
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

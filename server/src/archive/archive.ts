import * as yup from "yup";
import { AppError } from "../errors";
import { type ArchiveSettings, allowedUrl, archiveError, askJson } from "./transport";
import { fetchAsset } from "./fetchAsset";
import {
  type ArchiveAnswer,
  type ArchiveItem,
  type ArchiveKind,
  type ArchiveQuery,
  type Box,
  type Collection,
  boxOf,
  fits,
  itemOf,
} from "./item";
import { messageOf } from "@hindglance/core/errors";
import { isRecord } from "@hindglance/core/values";

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
const REMEMBER_MS = 300_000;

/** What the front page of an archive says. */
interface Landing {
  title: string;
  /** Address of the item search, and whether it takes POST and the query extension. */
  search: string;
  post: boolean;
  query: boolean;
  collections: Collection[];
  collectionsUrl: string;
}

/**
 * An archive that speaks the STAC API: what it has, searching it, and its files. Source: STAC API
 * 1.0 (core, collections, item search, query).
 */
export class Archive {
  private about: { at: number; promise: Promise<Landing> } | null = null;
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
      .filter(({ kind }) => kind === query.kind)
      .map(({ id }) => id);
    if (collections.length === 0) {
      return { items: [], next: null, leftOut: 0 };
    }
    const box = query.area ? boxOf(query.area) : null;
    const answer = query.next
      ? await this.goOn(query.next)
      : await this.begin(landing, collections, query, box);
    const page = read(itemsSchema, answer, "answer");
    // An archive may answer more than it was asked: only what fits is shown.
    const items = page.features
      .flatMap((feature) => itemOf(feature, landing.collections) ?? [])
      .filter((item) => fits(item, query, box));
    const next = page.links?.find(({ rel }) => rel === "next");
    return {
      items,
      leftOut: page.features.length - items.length,
      next: next ? JSON.stringify({ href: next.href, body: next.body ?? null }) : null,
    };
  }

  /** Asks for the page of results that a former one named. */
  private goOn(next: string): Promise<unknown> {
    const { href, body } = parseNext(next);
    const { settings } = this;
    return askJson(allowedUrl(href, settings.url, settings).href, settings, body ?? undefined);
  }

  /** Asks for the first page of results, in the way that the archive takes. */
  private begin(
    landing: Landing,
    collections: string[],
    { from, to, pass, limit }: ArchiveQuery,
    bbox: Box | null,
  ): Promise<unknown> {
    const datetime = from || to ? `${from ?? ".."}/${to ?? ".."}` : null;
    if (landing.post) {
      return askJson(landing.search, this.settings, {
        collections,
        limit,
        ...(datetime ? { datetime } : {}),
        ...(bbox ? { bbox } : {}),
        ...(landing.query && pass ? { query: { "sat:orbit_state": { eq: pass } } } : {}),
      });
    }
    const url = new URL(landing.search);
    url.searchParams.set("collections", collections.join(","));
    url.searchParams.set("limit", String(limit));
    if (datetime) {
      url.searchParams.set("datetime", datetime);
    }
    if (bbox) {
      url.searchParams.set("bbox", bbox.join(","));
    }
    return askJson(url.href, this.settings);
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

function parseNext(s: string): { href: string; body: object | null } {
  try {
    const value: unknown = JSON.parse(s);
    if (isRecord(value) && typeof value.href === "string") {
      return { href: value.href, body: isRecord(value.body) ? value.body : null };
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

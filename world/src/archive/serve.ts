import { existsSync, readFileSync, statSync } from "node:fs";
import type { Server } from "node:http";
import { resolve } from "node:path";
import express, { type Express, type Request, type Response } from "express";
import { isRecord } from "@hindglance/core/values";
import { CATALOGUE, COLLECTIONS, type CatalogueItem } from "./catalogue";

const CORE = "https://api.stacspec.org/v1.0.0";
const VERSION = "1.0.0";

const CONFORMS = ["core", "collections", "item-search", "item-search#query"].map(
  (part) => `${CORE}/${part}`,
);

const link = (rel: string, href: string, more: object = {}) => ({
  rel,
  href,
  type: "application/json",
  ...more,
});

/** The address at which the archive was asked. */
const baseOf = (req: Request): string => `http://${req.headers.host}`;

/** Reads the list of items, again where it was written anew: it may be made while this runs. */
function itemsIn(root: string): () => CatalogueItem[] {
  const path = resolve(root, CATALOGUE);
  let list: CatalogueItem[] = [];
  let readAt = 0;
  return () => {
    if (existsSync(path) && statSync(path).mtimeMs !== readAt) {
      list = JSON.parse(readFileSync(path, "utf8")) as CatalogueItem[];
      readAt = statSync(path).mtimeMs;
    }
    return list;
  };
}

/** An item as the interface shows it. */
function itemView({ collection, id, ring, properties, assets }: CatalogueItem, base: string) {
  const files = `${base}/files/${collection}/${id}`;
  return {
    type: "Feature",
    stac_version: VERSION,
    id,
    collection,
    geometry: ring ? { type: "Polygon", coordinates: [ring] } : null,
    ...(ring ? { bbox: boxOf(ring) } : {}),
    properties,
    links: [
      link("self", `${base}/collections/${collection}/items/${id}`),
      link("collection", `${base}/collections/${collection}`),
      link("root", `${base}/`),
    ],
    assets: Object.fromEntries(
      Object.entries(assets).map(([key, { file, type, roles, title, bytes, sha256 }]) => [
        key,
        {
          href: `${files}/${key}/${file.split("/").pop()}`,
          ...{ type, roles, title },
          "file:size": bytes,
          "file:checksum": `1220${sha256}`,
        },
      ]),
    ),
  };
}

/** A collection as the interface shows it. */
const collectionView = (collection: (typeof COLLECTIONS)[number], base: string) => ({
  type: "Collection",
  stac_version: VERSION,
  ...collection,
  license: "other",
  extent: {
    spatial: { bbox: [[-21.3, -43.8, -20.7, -43.4]] },
    temporal: { interval: [[null, null]] },
  },
  links: [
    link("self", `${base}/collections/${collection.id}`),
    link("items", `${base}/collections/${collection.id}/items`, { type: "application/geo+json" }),
    link("root", `${base}/`),
  ],
});

/** The front page. */
const catalogView = (base: string) => ({
  type: "Catalog",
  stac_version: VERSION,
  id: "corvane",
  title: "Archive of Corvane",
  description: "Made-up scenes of a made-up island.",
  conformsTo: CONFORMS,
  links: [
    link("self", `${base}/`),
    link("root", `${base}/`),
    link("data", `${base}/collections`),
    link("conformance", `${base}/conformance`),
    link("search", `${base}/search`, { method: "GET", type: "application/geo+json" }),
    link("search", `${base}/search`, { method: "POST", type: "application/geo+json" }),
  ],
});

/** How the next page is asked for: the question again, and from where. */
function nextLink({ asked }: Query, address: string, from: number, isPost: boolean) {
  const token = String(from);
  if (isPost) {
    return link("next", address, { method: "POST", body: { ...asked, token } });
  }
  const texts = Object.entries(asked).map(([key, value]) => [key, String(value)]);
  return link("next", `${address}?${new URLSearchParams([...texts, ["token", token]])}`);
}

/** A page of the items that a question finds. */
function pageOf(all: CatalogueItem[], asked: unknown, req: Request) {
  const query = queryOf(asked);
  const base = baseOf(req);
  const found = all.filter((item) => matches(item, query));
  const part = found.slice(query.offset, query.offset + query.limit);
  const end = query.offset + part.length;
  const next = nextLink(query, `${base}${req.path}`, end, req.method === "POST");
  return {
    type: "FeatureCollection",
    features: part.map((item) => itemView(item, base)),
    numberMatched: found.length,
    numberReturned: part.length,
    links: end < found.length ? [next] : [],
  };
}

/** Sends what was found, or that there is none. */
function sendFound(res: Response, found: object | undefined, what: string): void {
  if (found) {
    res.json(found);
  } else {
    res.status(404).json({ code: "NotFound", description: `no such ${what}` });
  }
}

function collectionRoutes(app: Express, items: () => CatalogueItem[]): void {
  app.get("/collections", (req, res) => {
    const base = baseOf(req);
    res.json({ collections: COLLECTIONS.map((one) => collectionView(one, base)), links: [] });
  });
  app.get("/collections/:id", (req, res) => {
    const found = COLLECTIONS.find(({ id }) => id === req.params.id);
    sendFound(res, found && collectionView(found, baseOf(req)), "collection");
  });
  app.get("/collections/:id/items", (req, res) => {
    const all = items().filter(({ collection }) => collection === req.params.id);
    res.json(pageOf(all, req.query, req));
  });
  app.get("/collections/:id/items/:item", (req, res) => {
    const found = findItem(items(), req.params.id, req.params.item);
    sendFound(res, found && itemView(found, baseOf(req)), "item");
  });
}

const findItem = (items: CatalogueItem[], collection: string, id: string) =>
  items.find((item) => item.collection === collection && item.id === id);

/**
 * A small archive with a STAC API over the made-up world's files: front page, collections, items,
 * search by box, time, collection and query.
 * Source: STAC API 1.0 core, item search and query.
 * @param port 0: any free one
 */
export async function serveArchive(
  folder: string,
  host: string,
  port: number,
): Promise<{ server: Server; url: string }> {
  const root = resolve(folder);
  const items = itemsIn(root);
  const app = express();
  app.disable("x-powered-by");
  app.use(express.json({ limit: "2mb" }));
  app.get("/", (req, res) => {
    res.json(catalogView(baseOf(req)));
  });
  app.get("/conformance", (_req, res) => {
    res.json({ conformsTo: CONFORMS });
  });
  collectionRoutes(app, items);
  app.get("/search", (req, res) => {
    res.json(pageOf(items(), req.query, req));
  });
  app.post("/search", (req, res) => {
    res.json(pageOf(items(), req.body, req));
  });
  app.get("/files/:id/:item/:asset/:name", (req, res) => {
    const asset = findItem(items(), req.params.id, req.params.item)?.assets[req.params.asset];
    if (asset) {
      res.type(asset.type.split(";")[0]!).sendFile(resolve(root, asset.file));
    } else {
      res.status(404).end();
    }
  });
  const server = await new Promise<Server>((done, failed) => {
    const listening = app.listen(port, host, (error?: Error) =>
      error ? failed(error) : done(listening),
    );
  });
  return { server, url: `http://${host}:${portOf(server)}/` };
}

/** The port that a server listens on. */
function portOf(server: Server): number {
  const address = server.address();
  return typeof address === "object" && address !== null ? address.port : NaN;
}

/** What is asked for, with what is usual where nothing is said. */
interface Query {
  collections: string[] | null;
  bbox: number[] | null;
  from: number;
  to: number;
  /** Comparisons by property: operator and value. */
  query: Record<string, Record<string, unknown>>;
  limit: number;
  offset: number;
  /** The question without the place in its answer. */
  asked: Record<string, unknown>;
}

/** A list, or a text with commas; null where there is none. */
function listIn(value: unknown): string[] | null {
  if (Array.isArray(value)) {
    return value.map(String);
  }
  return typeof value === "string" && value ? value.split(",") : null;
}

/** Comparisons by property, as an object or as the text of one. */
function comparisonsIn(value: unknown): Query["query"] {
  const given: unknown = typeof value === "string" ? JSON.parse(value) : value;
  const entries = Object.entries(isRecord(given) ? given : {});
  return Object.fromEntries(entries.map(([key, tests]) => [key, isRecord(tests) ? tests : {}]));
}

/** A question as it was sent, in an address or a body. */
function queryOf(sent: unknown): Query {
  const { token, ...asked } = isRecord(sent) ? sent : {};
  const datetime = typeof asked.datetime === "string" ? asked.datetime : "../..";
  const [begin = "..", end = begin] = datetime.split("/");
  const timeOf = (text: string, open: number) =>
    text === "" || text === ".." ? open : Date.parse(text);
  return {
    collections: listIn(asked.collections),
    bbox: listIn(asked.bbox)?.map(Number) ?? null,
    from: timeOf(begin, -Infinity),
    to: timeOf(end, Infinity),
    query: comparisonsIn(asked.query),
    limit: Math.max(1, Math.min(1000, Number(asked.limit ?? 10) || 10)),
    offset: Number(token ?? 0) || 0,
    asked,
  };
}

/** What each operator holds of a value that is there and one that is wanted. */
const OPERATORS: Record<string, (have: unknown, want: unknown) => boolean> = {
  eq: (have, want) => have === want,
  neq: (have, want) => have !== want,
  in: (have, want) => Array.isArray(want) && want.includes(have),
  gte: (have, want) => Number(have) >= Number(want),
  lte: (have, want) => Number(have) <= Number(want),
  gt: (have, want) => Number(have) > Number(want),
  lt: (have, want) => Number(have) < Number(want),
};

/** Whether two boxes share a place; a question without a box is met anywhere. */
function isInBox(ring: CatalogueItem["ring"], bbox: number[] | null): boolean {
  if (!bbox) {
    return true;
  }
  if (!ring) {
    return false;
  }
  const [west, south, east, north] = boxOf(ring);
  const [left = NaN, bottom = NaN, right = NaN, top = NaN] = bbox;
  return east >= left && west <= right && north >= bottom && south <= top;
}

function matches({ collection, ring, properties }: CatalogueItem, query: Query): boolean {
  const start = Date.parse(String(properties.start_datetime ?? properties.datetime));
  const end = Date.parse(String(properties.end_datetime ?? properties.datetime));
  const isListed = !query.collections || query.collections.includes(collection);
  const isOutOfTime = end < query.from || start > query.to;
  return (
    isListed &&
    !isOutOfTime &&
    isInBox(ring, query.bbox) &&
    Object.entries(query.query).every(([key, tests]) =>
      Object.entries(tests).every(
        ([operator, want]) => OPERATORS[operator]?.(properties[key], want) ?? false,
      ),
    )
  );
}

const boxOf = (r: [number, number][]): [number, number, number, number] => [
  Math.min(...r.map((point) => point[0])),
  Math.min(...r.map((point) => point[1])),
  Math.max(...r.map((point) => point[0])),
  Math.max(...r.map((point) => point[1])),
];

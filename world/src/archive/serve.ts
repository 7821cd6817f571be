import { existsSync, readFileSync, statSync } from "node:fs";
import type { Server } from "node:http";
import { resolve } from "node:path";
import express, { type Request } from "express";
import { CATALOGUE, COLLECTIONS, type CatalogueItem } from "./catalogue";

const CORE = "https://api.stacspec.org/v1.0.0";
const VERSION = "1.0.0";

/**
 * A small archive with a STAC API over the made-up world's files: front page, collections, items,
 * search by box, time, collection and query.
 * Source: STAC API 1.0 core, item search and query. @param port 0: any free one
 */
export async function serveArchive(
  folder: string,
  host: string,
  port: number,
): Promise<{ server: Server; url: string }> {
  const app = express();
  const root = resolve(folder);
  let list: CatalogueItem[] = [];
  let read = 0;
  // The files may be made while the archive already runs.
  const items = (): CatalogueItem[] => {
    const path = resolve(root, CATALOGUE);
    if (existsSync(path) && statSync(path).mtimeMs !== read) {
      list = JSON.parse(readFileSync(path, "utf8")) as CatalogueItem[];
      read = statSync(path).mtimeMs;
    }
    return list;
  };
  const here = (req: Request) => `http://${req.headers.host}`;
  const link = (rel: string, href: string, more: object = {}) => ({
    rel,
    href,
    type: "application/json",
    ...more,
  });
  const view = (catalogueItem: CatalogueItem, base: string) => ({
    type: "Feature",
    stac_version: VERSION,
    id: catalogueItem.id,
    collection: catalogueItem.collection,
    geometry: catalogueItem.ring ? { type: "Polygon", coordinates: [catalogueItem.ring] } : null,
    ...(catalogueItem.ring ? { bbox: boxOf(catalogueItem.ring) } : {}),
    properties: catalogueItem.properties,
    links: [
      link("self", `${base}/collections/${catalogueItem.collection}/items/${catalogueItem.id}`),
      link("collection", `${base}/collections/${catalogueItem.collection}`),
      link("root", `${base}/`),
    ],
    assets: Object.fromEntries(
      Object.entries(catalogueItem.assets).map(([k, catalogueAsset]) => [
        k,
        {
          href: `${base}/files/${catalogueItem.collection}/${catalogueItem.id}/${k}/${catalogueAsset.file.split("/").pop()}`,
          type: catalogueAsset.type,
          roles: catalogueAsset.roles,
          title: catalogueAsset.title,
          "file:size": catalogueAsset.bytes,
          "file:checksum": `1220${catalogueAsset.sha256}`,
        },
      ]),
    ),
  });
  const collection = (c: (typeof COLLECTIONS)[number], base: string) => ({
    type: "Collection",
    stac_version: VERSION,
    ...c,
    license: "other",
    extent: {
      spatial: { bbox: [[-21.3, -43.8, -20.7, -43.4]] },
      temporal: { interval: [[null, null]] },
    },
    links: [
      link("self", `${base}/collections/${c.id}`),
      link("items", `${base}/collections/${c.id}/items`, { type: "application/geo+json" }),
      link("root", `${base}/`),
    ],
  });
  const page = (all: CatalogueItem[], query: Query, base: string, path: string, post: boolean) => {
    const found = all.filter((catalogueItem) => matches(catalogueItem, query));
    const from = query.offset;
    const part = found.slice(from, from + query.limit);
    const more = from + part.length < found.length;
    const next = post
      ? link("next", `${base}${path}`, {
          method: "POST",
          body: { ...query.asked, token: String(from + part.length) },
        })
      : link(
          "next",
          `${base}${path}?${new URLSearchParams({ ...(query.asked as Record<string, string>), token: String(from + part.length) })}`,
        );
    return {
      type: "FeatureCollection",
      features: part.map((catalogueItem) => view(catalogueItem, base)),
      numberMatched: found.length,
      numberReturned: part.length,
      links: more ? [next] : [],
    };
  };
  app.disable("x-powered-by");
  app.use(express.json({ limit: "2mb" }));
  app.get("/", (req, res) => {
    const b = here(req);
    res.json({
      type: "Catalog",
      stac_version: VERSION,
      id: "corvane",
      title: "Archive of Corvane",
      description: "Made-up scenes of a made-up island.",
      conformsTo: ["core", "collections", "item-search", "item-search#query"].map(
        (x) => `${CORE}/${x}`,
      ),
      links: [
        link("self", `${b}/`),
        link("root", `${b}/`),
        link("data", `${b}/collections`),
        link("conformance", `${b}/conformance`),
        link("search", `${b}/search`, { method: "GET", type: "application/geo+json" }),
        link("search", `${b}/search`, { method: "POST", type: "application/geo+json" }),
      ],
    });
  });
  app.get("/conformance", (_req, res) => {
    res.json({
      conformsTo: ["core", "collections", "item-search", "item-search#query"].map(
        (x) => `${CORE}/${x}`,
      ),
    });
  });
  app.get("/collections", (req, res) => {
    res.json({ collections: COLLECTIONS.map((c) => collection(c, here(req))), links: [] });
  });
  app.get("/collections/:id", (req, res) => {
    const c = COLLECTIONS.find((x) => x.id === req.params.id);
    if (c) {
      res.json(collection(c, here(req)));
    } else {
      res.status(404).json({ code: "NotFound", description: "no such collection" });
    }
  });
  app.get("/collections/:id/items", (req, res) => {
    res.json(
      page(
        items().filter((catalogueItem) => catalogueItem.collection === req.params.id),
        queryOf(req.query),
        here(req),
        `/collections/${req.params.id}/items`,
        false,
      ),
    );
  });
  app.get("/collections/:id/items/:item", (req, res) => {
    const catalogueItem = items().find(
      (x) => x.collection === req.params.id && x.id === req.params.item,
    );
    if (catalogueItem) {
      res.json(view(catalogueItem, here(req)));
    } else {
      res.status(404).json({ code: "NotFound", description: "no such item" });
    }
  });
  app.get("/search", (req, res) => {
    res.json(page(items(), queryOf(req.query), here(req), "/search", false));
  });
  app.post("/search", (req, res) => {
    res.json(
      page(items(), queryOf(req.body as Record<string, unknown>), here(req), "/search", true),
    );
  });
  app.get("/files/:id/:item/:asset/:name", (req, res) => {
    const catalogueAsset = items().find(
      (catalogueItem) =>
        catalogueItem.collection === req.params.id && catalogueItem.id === req.params.item,
    )?.assets[req.params.asset];
    if (catalogueAsset) {
      res.type(catalogueAsset.type.split(";")[0]!).sendFile(resolve(root, catalogueAsset.file));
    } else {
      res.status(404).end();
    }
  });
  const server = await new Promise<Server>((ok, no) => {
    const s = app.listen(port, host, (error?: Error) => (error ? no(error) : ok(s)));
  });
  return { server, url: `http://${host}:${(server.address() as { port: number }).port}/` };
}

interface Query {
  collections: string[] | null;
  bbox: number[] | null;
  from: number;
  to: number;
  query: Record<string, Record<string, unknown>>;
  limit: number;
  offset: number;
  asked: Record<string, unknown>;
}
function queryOf(value: Record<string, unknown> | undefined): Query {
  const { token, ...asked } = value ?? {};
  const listed = (x: unknown): string[] | null => {
    if (Array.isArray(x)) {
      return x.map(String);
    }
    if (typeof x === "string" && x) {
      return x.split(",");
    }
    return null;
  };
  const [a, b] = String(asked.datetime ?? "../..").split("/") as [string, string | undefined];
  const time = (s: string | undefined, open: number) => (!s || s === ".." ? open : Date.parse(s));
  return {
    collections: listed(asked.collections),
    bbox: listed(asked.bbox)?.map(Number) ?? null,
    from: time(a, -Infinity),
    to: time(b ?? a, Infinity),
    query: (typeof asked.query === "string"
      ? JSON.parse(asked.query)
      : (asked.query ?? {})) as Query["query"],
    limit: Math.max(1, Math.min(1000, Number(asked.limit ?? 10) || 10)),
    offset: Number(token ?? 0) || 0,
    asked,
  };
}
function matches(catalogueItem: CatalogueItem, query: Query): boolean {
  const properties = catalogueItem.properties;
  const start = Date.parse(String(properties.start_datetime ?? properties.datetime));
  const end = Date.parse(String(properties.end_datetime ?? properties.datetime));
  const box = catalogueItem.ring && boxOf(catalogueItem.ring);
  if (query.collections && !query.collections.includes(catalogueItem.collection)) {
    return false;
  }
  if (end < query.from || start > query.to) {
    return false;
  }
  if (
    query.bbox &&
    (!box ||
      box[2] < query.bbox[0]! ||
      box[0] > query.bbox[2]! ||
      box[3] < query.bbox[1]! ||
      box[1] > query.bbox[3]!)
  ) {
    return false;
  }
  return Object.entries(query.query).every(([k, ops]) =>
    Object.entries(ops).every(([op, want]) => {
      const have = properties[k];
      if (op === "eq") {
        return have === want;
      }
      if (op === "neq") {
        return have !== want;
      }
      if (op === "in") {
        return (want as unknown[]).includes(have);
      }
      if (op === "gte") {
        return Number(have) >= Number(want);
      }
      if (op === "lte") {
        return Number(have) <= Number(want);
      }
      if (op === "gt") {
        return Number(have) > Number(want);
      }
      if (op === "lt") {
        return Number(have) < Number(want);
      }
      return false;
    }),
  );
}
const boxOf = (r: [number, number][]): [number, number, number, number] => [
  Math.min(...r.map((point) => point[0])),
  Math.min(...r.map((point) => point[1])),
  Math.max(...r.map((point) => point[0])),
  Math.max(...r.map((point) => point[1])),
];

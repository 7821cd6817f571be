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
  const view = (i: CatalogueItem, base: string) => ({
    type: "Feature",
    stac_version: VERSION,
    id: i.id,
    collection: i.collection,
    geometry: i.ring ? { type: "Polygon", coordinates: [i.ring] } : null,
    ...(i.ring ? { bbox: boxOf(i.ring) } : {}),
    properties: i.properties,
    links: [
      link("self", `${base}/collections/${i.collection}/items/${i.id}`),
      link("collection", `${base}/collections/${i.collection}`),
      link("root", `${base}/`),
    ],
    assets: Object.fromEntries(
      Object.entries(i.assets).map(([k, a]) => [
        k,
        {
          href: `${base}/files/${i.collection}/${i.id}/${k}/${a.file.split("/").pop()}`,
          type: a.type,
          roles: a.roles,
          title: a.title,
          "file:size": a.bytes,
          "file:checksum": `1220${a.sha256}`,
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
  const page = (all: CatalogueItem[], q: Query, base: string, path: string, post: boolean) => {
    const found = all.filter((i) => matches(i, q));
    const from = q.offset;
    const part = found.slice(from, from + q.limit);
    const more = from + part.length < found.length;
    const next = post
      ? link("next", `${base}${path}`, {
          method: "POST",
          body: { ...q.asked, token: String(from + part.length) },
        })
      : link(
          "next",
          `${base}${path}?${new URLSearchParams({ ...(q.asked as Record<string, string>), token: String(from + part.length) })}`,
        );
    return {
      type: "FeatureCollection",
      features: part.map((i) => view(i, base)),
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
        items().filter((i) => i.collection === req.params.id),
        queryOf(req.query),
        here(req),
        `/collections/${req.params.id}/items`,
        false,
      ),
    );
  });
  app.get("/collections/:id/items/:item", (req, res) => {
    const i = items().find((x) => x.collection === req.params.id && x.id === req.params.item);
    if (i) {
      res.json(view(i, here(req)));
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
    const a = items().find((x) => x.collection === req.params.id && x.id === req.params.item)
      ?.assets[req.params.asset];
    if (a) {
      res.type(a.type.split(";")[0]!).sendFile(resolve(root, a.file));
    } else {
      res.status(404).end();
    }
  });
  const server = await new Promise<Server>((ok, no) => {
    const s = app.listen(port, host, (e?: Error) => (e ? no(e) : ok(s)));
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
function queryOf(v: Record<string, unknown> | undefined): Query {
  const { token, ...asked } = v ?? {};
  const listed = (x: unknown): string[] | null =>
    Array.isArray(x) ? x.map(String) : typeof x === "string" && x ? x.split(",") : null;
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
function matches(i: CatalogueItem, q: Query): boolean {
  const p = i.properties;
  const start = Date.parse(String(p.start_datetime ?? p.datetime));
  const end = Date.parse(String(p.end_datetime ?? p.datetime));
  const box = i.ring && boxOf(i.ring);
  if (q.collections && !q.collections.includes(i.collection)) {
    return false;
  }
  if (end < q.from || start > q.to) {
    return false;
  }
  if (
    q.bbox &&
    (!box ||
      box[2] < q.bbox[0]! ||
      box[0] > q.bbox[2]! ||
      box[3] < q.bbox[1]! ||
      box[1] > q.bbox[3]!)
  ) {
    return false;
  }
  return Object.entries(q.query).every(([k, ops]) =>
    Object.entries(ops).every(([op, want]) => {
      const have = p[k];
      return op === "eq"
        ? have === want
        : op === "neq"
          ? have !== want
          : op === "in"
            ? (want as unknown[]).includes(have)
            : op === "gte"
              ? Number(have) >= Number(want)
              : op === "lte"
                ? Number(have) <= Number(want)
                : op === "gt"
                  ? Number(have) > Number(want)
                  : op === "lt"
                    ? Number(have) < Number(want)
                    : false;
    }),
  );
}
const boxOf = (r: [number, number][]): [number, number, number, number] => [
  Math.min(...r.map((p) => p[0])),
  Math.min(...r.map((p) => p[1])),
  Math.max(...r.map((p) => p[0])),
  Math.max(...r.map((p) => p[1])),
];

import type { Study } from "../db/studies";
import type { Collection } from "./collections";

/** A link of a page. */
export interface Link {
  rel: string;
  href: string;
  type: string;
  title: string;
}

const JSON_TYPE = "application/json";
const GEOJSON = "application/geo+json";
const LON_LAT = "http://www.opengis.net/def/crs/OGC/1.3/CRS84";

const link = (rel: string, href: string, title: string, type = JSON_TYPE): Link => ({
  ...{ rel, href, type, title },
});

/** The first page of a study's open services. @param base where they begin, with the server's address */
export const landingPage = (study: Study, base: string) => ({
  title: study.name,
  description: `Results of the study “${study.name}”, read only`,
  links: [
    link("self", base, "This page"),
    link(
      "service-desc",
      `${base}/api`,
      "What can be asked",
      "application/vnd.oai.openapi+json;version=3.0",
    ),
    link("conformance", `${base}/conformance`, "Standards that it keeps"),
    link("data", `${base}/collections`, "Patches, zones and pins"),
    link(
      "http://www.opengis.net/def/rel/ogc/1.0/tiling-schemes",
      `${base}/tileMatrixSets`,
      "How tiles are cut",
    ),
    link("child", `${base}/stac`, "Scenes and maps as a catalogue"),
  ],
});

/** Standards that are kept. Source: OGC 17-069r4, 7.4; OGC 20-057, 6. */
export const CONFORMANCE = {
  conformsTo: [
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/core",
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/geojson",
    "http://www.opengis.net/spec/ogcapi-features-1/1.0/conf/oas30",
    ...["core", "tileset", "tilesets-list", "mvt", "png"].map(
      (one) => `http://www.opengis.net/spec/ogcapi-tiles-1/1.0/conf/${one}`,
    ),
  ],
};

/** What is said of a collection. */
export const collectionPage = (one: Collection, base: string) => ({
  ...{ id: one.id, title: one.title, description: one.description, itemType: "feature" },
  crs: [LON_LAT],
  extent: {
    spatial: { bbox: [one.bounds], crs: LON_LAT },
    temporal: { interval: [one.interval] },
  },
  links: [
    link("self", `${base}/collections/${one.id}`, one.title),
    link("items", `${base}/collections/${one.id}/items`, "Its features", GEOJSON),
    link(
      "http://www.opengis.net/def/rel/ogc/1.0/tilesets-vector",
      `${base}/collections/${one.id}/tiles`,
      "Its features as tiles",
    ),
    ...(one.mapId
      ? [
          link(
            "http://www.opengis.net/def/rel/ogc/1.0/tilesets-map",
            `${base}/collections/${one.id}/map/tiles`,
            "Its picture as tiles",
          ),
        ]
      : []),
  ],
});

/** Everything that a study opens as features. */
export const collectionsPage = (all: readonly Collection[], base: string) => ({
  links: [link("self", `${base}/collections`, "Collections")],
  collections: all.map((one) => collectionPage(one, base)),
});

/** Links of a page of features: itself, and the one after it where there is one. */
export function pageLinks(
  address: URL,
  { offset, limit }: { offset: number; limit: number },
  { matched, returned }: { matched: number; returned: number },
): Link[] {
  const next = new URL(address);
  next.searchParams.set("offset", String(offset + limit));
  next.searchParams.set("limit", String(limit));
  return [
    link("self", address.href, "This page", GEOJSON),
    ...(offset + returned < matched ? [link("next", next.href, "Next page", GEOJSON)] : []),
  ];
}

const parameter = (name: string, schema: object, description: string) => ({
  ...{ name, in: "query", required: false, description, schema, style: "form", explode: false },
});

const text = (description: string) => ({
  200: { description, content: { [JSON_TYPE]: { schema: { type: "object" } } } },
});

/** What can be asked, as an OpenAPI document: one path a collection, with its filters. */
export function definition(study: Study, all: readonly Collection[], base: string) {
  const common = [
    parameter(
      "bbox",
      { type: "array", minItems: 4, maxItems: 6, items: { type: "number" } },
      "Ends in degrees",
    ),
    parameter(
      "limit",
      { type: "integer", minimum: 1, maximum: 10_000, default: 100 },
      "Features of a page",
    ),
    parameter("offset", { type: "integer", minimum: 0, default: 0 }, "Features before the page"),
    parameter("datetime", { type: "string" }, "A time, or a span"),
  ];
  const items = all.map(({ id, title, filters }) => {
    const own = filters.map((name) =>
      parameter(name, { type: "string" }, `Features of this ${name}`),
    );
    const get = { summary: title, parameters: [...common, ...own], responses: text("Features") };
    return [`/collections/${id}/items`, { get }] as const;
  });
  const page = (summary: string) => ({ get: { summary, responses: text(summary) } });
  return {
    openapi: "3.0.3",
    info: { title: study.name, version: "1.0.0", description: "Results of a study, read only" },
    servers: [{ url: base }],
    paths: {
      "/": page("First page"),
      "/conformance": page("Standards that it keeps"),
      "/collections": page("Collections"),
      ...Object.fromEntries(items),
    },
  };
}

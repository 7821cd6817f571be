import {
  HALF_WORLD_M,
  MOST_LEVEL,
  TILE_PIXELS,
  WEB_MERCATOR,
} from "@hindglance/core/grid/webTiles";
import type { Collection } from "./collections";

/** The one set of tiles that is handed out, by its name in OGC 17-083r4, annex D.1. */
export const TILE_MATRIX_SET = "WebMercatorQuad";
const SET_URI = `http://www.opengis.net/def/tilematrixset/OGC/1.0/${TILE_MATRIX_SET}`;
const CRS_URI = "http://www.opengis.net/def/crs/EPSG/0/3857";
/** Metres of a pixel of a screen as the standard takes it. */
const PIXEL_M = 0.28e-3;

/** Media types of tiles. */
export const TILE_MEDIA = {
  vector: "application/vnd.mapbox-vector-tile",
  map: "image/png",
} as const;
export type TileKind = keyof typeof TILE_MEDIA;

const JSON_TYPE = "application/json";

/** Where tiles of a kind of a collection lie, below the study's services. */
const placeOf = (collection: string, kind: TileKind): string =>
  kind === "vector" ? `/collections/${collection}/tiles` : `/collections/${collection}/map/tiles`;

const TITLES: Record<TileKind, string> = {
  vector: "Features as vector tiles",
  map: "Picture of the classes",
};

/** What is said of the tiles of a kind of a collection. */
export function tileset(one: Collection, kind: TileKind, base: string) {
  const place = `${base}${placeOf(one.id, kind)}/${TILE_MATRIX_SET}`;
  const [west, south, east, north] = one.bounds;
  return {
    title: `${one.title}: ${TITLES[kind].toLowerCase()}`,
    dataType: kind,
    crs: CRS_URI,
    tileMatrixSetURI: SET_URI,
    boundingBox: { lowerLeft: [west, south], upperRight: [east, north] },
    links: [
      { rel: "self", type: JSON_TYPE, href: place, title: "This page" },
      {
        rel: "http://www.opengis.net/def/rel/ogc/1.0/tiling-scheme",
        ...{ type: JSON_TYPE, href: `${base}/tileMatrixSets/${TILE_MATRIX_SET}` },
      },
      {
        ...{ rel: "item", type: TILE_MEDIA[kind], templated: true },
        href: `${place}/{tileMatrix}/{tileRow}/{tileCol}`,
      },
    ],
  };
}

/** Sets of tiles of a kind of a collection. */
export const tilesetsPage = (one: Collection, kind: TileKind, base: string) => ({
  links: [{ rel: "self", type: JSON_TYPE, href: `${base}${placeOf(one.id, kind)}` }],
  tilesets: [tileset(one, kind, base)],
});

/** The cutting of the world: level by level. Source: OGC 17-083r4, annex D.1. */
export const tileMatrixSet = {
  id: TILE_MATRIX_SET,
  title: "Web Mercator in squares",
  uri: SET_URI,
  crs: CRS_URI,
  orderedAxes: ["X", "Y"],
  wellKnownScaleSet: "http://www.opengis.net/def/wkss/OGC/1.0/GoogleMapsCompatible",
  tileMatrices: Array.from({ length: MOST_LEVEL + 1 }, (_v, level) => {
    const cellSize = (2 * HALF_WORLD_M) / TILE_PIXELS / 2 ** level;
    return {
      ...{ id: String(level), cellSize, scaleDenominator: cellSize / PIXEL_M },
      pointOfOrigin: [-HALF_WORLD_M, HALF_WORLD_M],
      ...{ tileWidth: TILE_PIXELS, tileHeight: TILE_PIXELS },
      ...{ matrixWidth: 2 ** level, matrixHeight: 2 ** level },
    };
  }),
};

/** Sets of tiles that there are. */
export const tileMatrixSets = (base: string) => ({
  tileMatrixSets: [
    {
      ...{ id: TILE_MATRIX_SET, uri: SET_URI, title: tileMatrixSet.title, crs: WEB_MERCATOR.code },
      links: [
        {
          ...{ rel: "self", type: JSON_TYPE },
          href: `${base}/tileMatrixSets/${TILE_MATRIX_SET}`,
        },
      ],
    },
  ],
});

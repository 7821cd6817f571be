import { type Request, type Response, Router } from "express";
import { OPEN } from "@hindglance/contract/open";
import { MAP_SIDES, type MapSide } from "@hindglance/core/sheet/marks";
import type { WebTile } from "@hindglance/core/grid/webTiles";
import type { Client } from "../db/pool";
import { isOpen } from "../db/open";
import { type Study, findStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { askIn, queryOf } from "./ask";
import { catalogue, catalogueItem } from "./catalogue";
import { type Collection, collectionsOf, pageText } from "./collections";
import { sendOpenFile } from "./files";
import {
  CONFORMANCE,
  collectionPage,
  collectionsPage,
  definition,
  landingPage,
  pageLinks,
} from "./landing";
import { type Painting, pictureTile, tileIn, vectorTile } from "./tiles";
import {
  TILE_MATRIX_SET,
  TILE_MEDIA,
  tileMatrixSet,
  tileMatrixSets,
  tileset,
  tilesetsPage,
} from "./tilesets";

const UUID = /^[0-9a-f]{8}(-[0-9a-f]{4}){3}-[0-9a-f]{12}$/;

/** What a request is about: an open study, and where its services begin as the caller sees them. */
interface Asked {
  client: Client;
  study: Study;
  base: string;
  req: Request;
  res: Response;
}

const idIn = (req: Request, name: string): string => {
  const value = req.params[name];
  return typeof value === "string" ? value : "";
};

/** @throws AppError 404 where there is no such study, or its services are off: both look alike */
async function openStudy(client: Client, req: Request): Promise<Study> {
  const id = idIn(req, "study");
  const study =
    UUID.test(id) && (await isOpen(client, id)) === true ? await findStudy(client, id) : null;
  if (!study) {
    throw new AppError(404, "notFound", "There is no open study at this address");
  }
  return study;
}

const baseOf = (req: Request, study: Study): string =>
  `${req.protocol}://${req.headers.host}${OPEN}/${study.id}`;

async function requireCollection({ client, study, req }: Asked): Promise<Collection> {
  const all = await collectionsOf(client, study.id);
  const found = all.find(({ id }) => id === idIn(req, "collection"));
  if (!found) {
    throw notFound("collection");
  }
  return found;
}

async function items(asked: Asked): Promise<void> {
  const { client, req, res } = asked;
  const collection = await requireCollection(asked);
  const ask = askIn(queryOf(req.query), collection.filters);
  const page = await collection.page(client, ask);
  const address = new URL(`${req.protocol}://${req.headers.host}${req.originalUrl}`);
  const counts = { matched: page.matched, returned: page.features.length };
  res.type("application/geo+json").send(pageText(page, pageLinks(address, ask, counts)));
}

async function item(asked: Asked): Promise<void> {
  const { client, req, res } = asked;
  const collection = await requireCollection(asked);
  const text = await collection.one(client, idIn(req, "feature"));
  if (text === null) {
    throw notFound("feature");
  }
  res.type("application/geo+json").send(text);
}

const SETS = `/tileMatrixSets`;
const VECTOR = `/collections/:collection/tiles`;
const PICTURE = `/collections/:collection/map/tiles`;

/** A collection that has a picture. @throws AppError 404 */
async function requirePicture(asked: Asked): Promise<Collection & { mapId: string }> {
  const { mapId, ...rest } = await requireCollection(asked);
  if (mapId === null) {
    throw notFound("picture of the collection");
  }
  return { ...rest, mapId };
}

/** Pages about tiles, by their paths below a study. */
const TILE_PAGES: Record<string, (asked: Asked) => Promise<unknown>> = {
  [SETS]: ({ base }) => Promise.resolve(tileMatrixSets(base)),
  [`${SETS}/${TILE_MATRIX_SET}`]: () => Promise.resolve(tileMatrixSet),
  [VECTOR]: async (asked) => tilesetsPage(await requireCollection(asked), "vector", asked.base),
  [`${VECTOR}/${TILE_MATRIX_SET}`]: async (asked) =>
    tileset(await requireCollection(asked), "vector", asked.base),
  [PICTURE]: async (asked) => tilesetsPage(await requirePicture(asked), "map", asked.base),
  [`${PICTURE}/${TILE_MATRIX_SET}`]: async (asked) =>
    tileset(await requirePicture(asked), "map", asked.base),
};

/** Pages, by their paths below a study. */
const PAGES: Record<string, (asked: Asked) => Promise<unknown>> = {
  ...TILE_PAGES,
  "/": ({ study, base }) => Promise.resolve(landingPage(study, base)),
  "/conformance": () => Promise.resolve(CONFORMANCE),
  "/api": async ({ client, study, base }) =>
    definition(study, await collectionsOf(client, study.id), base),
  "/collections": async ({ client, study, base }) =>
    collectionsPage(await collectionsOf(client, study.id), base),
  "/collections/:collection": async (asked) =>
    collectionPage(await requireCollection(asked), asked.base),
  "/stac": ({ client, study, base }) => catalogue(client, study, base),
  "/stac/items/:item": async ({ client, study, base, req }) => {
    const id = idIn(req, "item");
    const found = UUID.test(id) ? await catalogueItem(client, study.id, id, base) : null;
    if (!found) {
      throw notFound("item");
    }
    return found;
  },
};

/** How long a program may keep a tile, seconds. */
const KEPT_S = 300;

function sendTile(res: Response, media: string, bytes: Uint8Array): void {
  res
    .set({ "content-type": media, "cache-control": `public, max-age=${KEPT_S}` })
    .send(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
}

const lastOf = (req: Request, name: string): string => idIn(req, name).replace(/\.\w+$/, "");

/** A tile as the standard writes it: level, row, column. */
const standardTile = (req: Request): WebTile =>
  tileIn(idIn(req, "level"), lastOf(req, "column"), idIn(req, "row"));
/** A tile as map programs write it: level, column, row. */
const plainTile = (req: Request): WebTile =>
  tileIn(idIn(req, "level"), idIn(req, "column"), lastOf(req, "row"));

const sideIn = (text: string): MapSide => {
  const side = MAP_SIDES.find((one) => one === text);
  if (!side) {
    throw notFound("picture");
  }
  return side;
};

/** Tiles of features and of pictures, by the standard's addresses and by plain ones. */
function tileRoutes(router: Router, painting: Painting): void {
  const { db } = painting;
  const about = <T>(req: Request, res: Response, work: (asked: Asked) => Promise<T>) =>
    db.withClient(async (client) => {
      const study = await openStudy(client, req);
      return work({ client, study, base: baseOf(req, study), req, res });
    });
  const vector = (tileOf: (req: Request) => WebTile) => async (req: Request, res: Response) => {
    const bytes = await about(req, res, async (asked) =>
      vectorTile(asked.client, await requireCollection(asked), tileOf(req)),
    );
    sendTile(res, TILE_MEDIA.vector, bytes);
  };
  const picture = async (
    res: Response,
    place: { study: string; map: string },
    side: MapSide,
    tile: WebTile,
  ) => sendTile(res, TILE_MEDIA.map, await pictureTile(painting, place, side, tile));
  const level = `${TILE_MATRIX_SET}/:level`;
  router.get(`/:study${VECTOR}/${level}/:row/:column`, vector(standardTile));
  router.get("/:study/vectors/:collection/:level/:column/:row", vector(plainTile));
  router.get(`/:study${PICTURE}/${level}/:row/:column`, async (req, res) => {
    const found = await about(req, res, async (asked) => ({
      ...{ study: asked.study.id, map: (await requirePicture(asked)).mapId },
    }));
    await picture(res, found, "change", standardTile(req));
  });
  router.get("/:study/pictures/:map/:side/:level/:column/:row", async (req, res) => {
    const study = await about(req, res, (asked) => Promise.resolve(asked.study.id));
    const map = idIn(req, "map");
    if (!UUID.test(map)) {
      throw notFound("map");
    }
    await picture(res, { study, map }, sideIn(idIn(req, "side")), plainTile(req));
  });
}

/**
 * Open services, read only, of studies that are switched on: features, a catalogue, and files by ranges.
 * Any page may read them; nothing can be changed.
 */
export function openServices(painting: Painting): Router {
  const { db } = painting;
  const router = Router();
  router.use((req, res, next) => {
    res.set("access-control-allow-origin", "*");
    if (req.method !== "GET" && req.method !== "HEAD") {
      throw new AppError(405, "readOnly", "These services are read, not written");
    }
    next();
  });
  const answering = (work: (asked: Asked) => Promise<unknown>) => (req: Request, res: Response) =>
    db.withClient(async (client) => {
      const study = await openStudy(client, req);
      const answer = await work({ client, study, base: baseOf(req, study), req, res });
      if (answer !== undefined) {
        res.json(answer);
      }
    });
  for (const [path, work] of Object.entries(PAGES)) {
    router.get(`/:study${path === "/" ? "" : path}`, answering(work));
  }
  tileRoutes(router, painting);
  router.get("/:study/collections/:collection/items", answering(items));
  router.get("/:study/collections/:collection/items/:feature", answering(item));
  router.get(["/:study/files/:file", "/:study/files/:file/:name"], async (req, res) => {
    const study = await db.withClient((client) => openStudy(client, req));
    const id = idIn(req, "file");
    if (!UUID.test(id)) {
      throw notFound("file");
    }
    const name = idIn(req, "name") || null;
    await sendOpenFile(db, study.id, { id, name }, req, res);
  });
  router.use(() => {
    throw new AppError(404, "notFound", "There is nothing at this address");
  });
  return router;
}

import { type Request, type Response, Router } from "express";
import { OPEN } from "@hindglance/contract/open";
import type { Client, Database } from "../db/pool";
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

/** Pages, by their paths below a study. */
const PAGES: Record<string, (asked: Asked) => Promise<unknown>> = {
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

/**
 * Open services, read only, of studies that are switched on: features, a catalogue, and files by ranges.
 * Any page may read them; nothing can be changed.
 */
export function openServices(db: Database): Router {
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

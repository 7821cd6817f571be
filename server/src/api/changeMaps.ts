import { idOf } from "./http";
import { changeMapRoutes as routes } from "@hindglance/contract/changeMaps";
import { Reply, type Work, serve } from "./serve";
import { pipeline } from "node:stream/promises";
import { Readable } from "node:stream";
import type { Request, Response, Router } from "express";
import { BlobSource, findBlob, listMapFiles } from "../db/blobs";
import {
  type ChangeMap,
  deleteChangeMap,
  renameChangeMap,
  listChangeMaps,
  patchesIn,
  placeOfPatch,
  queryPatches,
  readPatches,
} from "../db/changeMaps";
import { findImage } from "../db/images";
import type { Client } from "../db/pool";
import { addToLedger } from "../db/studies";
import { notFound } from "../errors";
import { isLeft } from "../leftStream";
import { normalAt } from "../products/normalAt";
import { forScreen } from "../report/outlines";
import { tallyRows } from "../report/tallyTable";
import { FILE_KINDS } from "../files/list";
import { fileNameOf } from "../files/names";
import { requireMap } from "./requireMap";
import type { Services } from "./services";

async function withTable(client: Client, changeMap: ChangeMap) {
  const info = (await findImage(client, changeMap.imageId))!.info;
  const files = await listMapFiles(client, changeMap.id);
  const { edited, provenance } = changeMap;
  const rowsBefore = edited ? tallyRows({ tally: edited.tally, provenance }, info) : [];
  return { ...changeMap, info, rows: tallyRows(changeMap, info), rowsBefore, files };
}

const rename =
  ({ db }: Services): Work<typeof routes.rename> =>
  ({ params: { id }, body: { name } }) =>
    db.withTransaction(async (client) => {
      const old = await requireMap(client, id);
      await renameChangeMap(client, id, name);
      const told = { changeMap: id, from: old.name, to: name };
      await addToLedger(client, old.studyId, "Change map renamed", told);
      return withTable(client, await requireMap(client, id));
    });

const remove =
  ({ db }: Services): Work<typeof routes.remove> =>
  ({ params: { id } }) =>
    db.withTransaction(async (client) => {
      const { studyId, name } = await requireMap(client, id);
      await deleteChangeMap(client, id);
      await addToLedger(client, studyId, "Change map deleted", { changeMap: id, name });
      return null;
    });

/**
 * Outlines of patches in a part of the map, the largest first, as fine as the screen shows them.
 */
const outlines =
  ({ db }: Services): Work<typeof routes.outlines> =>
  async ({ params, query }) => {
    const { box, limit, toleranceDeg } = query;
    const patches = await db.withClient(async (client) => {
      const { id } = await requireMap(client, params.id);
      return patchesIn(client, id, query, box, limit);
    });
    return patches.map((patch) => ({
      ...patch,
      geometry: forScreen(shapeOf(patch.geometry), toleranceDeg),
    }));
  };

/** An outline as it was written. */
const shapeOf = (geometry: string) => JSON.parse(geometry) as Parameters<typeof forScreen>[0];

const outline =
  ({ db }: Services): Work<typeof routes.outline> =>
  async ({ params }) => {
    const wanted = Number(params.number);
    const [patch] = await db.withClient(async (client) => {
      const { id } = await requireMap(client, params.id);
      return Number.isInteger(wanted) && wanted > 0 ? readPatches(client, id, wanted, 1) : [];
    });
    if (patch?.number !== wanted) {
      throw notFound("patch");
    }
    return { ...patch, geometry: shapeOf(patch.geometry) };
  };

const makeFile =
  ({ db, engine }: Services): Work<typeof routes.makeFile> =>
  async ({ params: { id: changeMapId }, body: { format } }) => {
    const runId = await db.withTransaction(async (client) => {
      const changeMap = await requireMap(client, changeMapId);
      const fileName = fileNameOf(changeMap, FILE_KINDS[format].extension);
      return engine.submit(client, {
        studyId: changeMap.studyId,
        kind: "makeFile",
        title: `Make ${fileName}`,
        params: { changeMapId, format, fileName },
      });
    });
    return new Reply(202, { runId });
  };

/** Sends a file that was made. */
const sendFile =
  ({ db }: Services) =>
  async (req: Request, res: Response): Promise<void> => {
    const blob = await db.withClient((client) => findBlob(client, idOf(req)));
    if (!blob || blob.purpose !== "file" || blob.state !== "ready") {
      throw notFound("file");
    }
    const { id, name, size, mediaType } = blob;
    const plain = name.replace(/[^\w.-]/g, "_");
    res.set({
      "content-type": mediaType ?? "application/octet-stream",
      "content-length": String(size),
      "content-disposition": `attachment; filename="${plain}"; filename*=UTF-8''${encodeURIComponent(name)}`,
      "cache-control": "no-store",
    });
    try {
      await pipeline(Readable.from(new BlobSource(db, id, size).stream()), res);
    } catch (error) {
      if (!isLeft(error)) {
        throw error;
      }
    }
  };

/** Routes of the patches of a map. */
function patchRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.normal, async ({ params, query }) => {
    const map = await db.withClient((client) => requireMap(client, params.id));
    return { band: await normalAt(services, map, query) };
  });
  serve(api, routes.patches, ({ params, query }) =>
    db.withClient(async (client) => {
      const { id } = await requireMap(client, params.id);
      return queryPatches(client, id, query, query.offset, query.limit);
    }),
  );
  serve(api, routes.outlines, outlines(services));
  serve(api, routes.outline, outline(services));
  serve(api, routes.place, ({ params, query }) =>
    db.withClient(async (client) => {
      const { id } = await requireMap(client, params.id);
      return { place: await placeOfPatch(client, id, query, query.number) };
    }),
  );
}

/** Routes of change maps: listed, renamed, deleted, their patches and files. */
export function changeMapRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.list, ({ params }) =>
    db.withClient(async (client) => {
      const all = await listChangeMaps(client, params.id);
      return Promise.all(all.map((changeMap) => withTable(client, changeMap)));
    }),
  );
  serve(api, routes.find, ({ params }) =>
    db.withClient(async (client) => withTable(client, await requireMap(client, params.id))),
  );
  serve(api, routes.rename, rename(services));
  serve(api, routes.remove, remove(services));
  patchRoutes(api, services);
  serve(api, routes.makeFile, makeFile(services));
  api.get("/files/:id", sendFile(services));
}

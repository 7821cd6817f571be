import { idOf } from "./http";
import { changeMapRoutes as routes } from "@hindglance/contract/changeMaps";
import { Reply, serve } from "./serve";
import { pipeline } from "node:stream/promises";
import { Readable } from "node:stream";
import type { Router } from "express";
import { BlobSource, findBlob, listMapFiles } from "../db/blobs";
import {
  type ChangeMap,
  type PatchQuery,
  deleteChangeMap,
  renameChangeMap,
  findChangeMap,
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
import { forScreen } from "../report/outlines";
import { tallyRows } from "../report/tallyTable";
import { FILE_FORMATS } from "../runs/makeFile";
import type { Services } from "./services";

async function withTable(client: Client, changeMap: ChangeMap) {
  const info = (await findImage(client, changeMap.imageId))!.info;
  const files = await listMapFiles(client, changeMap.id);
  return { ...changeMap, info, rows: tallyRows(changeMap, info), files };
}

/** Routes of change maps: listed, renamed, deleted, their patches and files. */
export function changeMapRoutes(api: Router, { db, engine }: Services): void {
  serve(api, routes.list, async ({ params }) =>
    db.withClient(async (client) =>
      Promise.all(
        (await listChangeMaps(client, params.id)).map((changeMap) => withTable(client, changeMap)),
      ),
    ),
  );
  serve(api, routes.find, async ({ params }) => {
    const m = await db.withClient(async (client) => {
      const changeMap = await findChangeMap(client, params.id);
      return changeMap ? withTable(client, changeMap) : null;
    });
    if (!m) {
      throw notFound("change map");
    }
    return m;
  });
  serve(api, routes.rename, async ({ params, body }) => {
    const { id } = params;
    const { name } = body;
    const changeMap = await db.withTransaction(async (client) => {
      const old = await findChangeMap(client, id);
      if (!old) {
        throw notFound("change map");
      }
      await renameChangeMap(client, id, name);
      await addToLedger(client, old.studyId, "Change map renamed", {
        changeMap: id,
        from: old.name,
        to: name,
      });
      return withTable(client, (await findChangeMap(client, id))!);
    });
    return changeMap;
  });
  serve(api, routes.remove, async ({ params }) => {
    const { id } = params;
    const changeMap = await db.withClient((client) => findChangeMap(client, id));
    if (!changeMap) {
      throw notFound("change map");
    }
    await db.withTransaction(async (client) => {
      await deleteChangeMap(client, id);
      await addToLedger(client, changeMap.studyId, "Change map deleted", {
        changeMap: id,
        name: changeMap.name,
      });
    });
    return null;
  });
  const mapOf = async (id: string): Promise<ChangeMap> => {
    const changeMap = await db.withClient((client) => findChangeMap(client, id));
    if (!changeMap) {
      throw notFound("change map");
    }
    return changeMap;
  };
  /** Patches in an order, some at a time. */
  serve(api, routes.patches, async ({ params, query }) => {
    const changeMap = await mapOf(params.id);
    return await db.withClient((client) =>
      queryPatches(client, changeMap.id, query as PatchQuery, query.offset, query.limit),
    );
  });
  /**
   * Outlines of patches in a part of the map, the largest first, as fine as the screen shows them.
   */
  serve(api, routes.outlines, async ({ params, query }) => {
    const changeMap = await mapOf(params.id);
    return (
      await db.withClient((client) =>
        patchesIn(client, changeMap.id, query as PatchQuery, query.box, query.limit),
      )
    ).map((patch) => ({
      ...patch,
      geometry: forScreen(
        JSON.parse(patch.geometry) as Parameters<typeof forScreen>[0],
        query.toleranceDeg,
      ),
    }));
  });
  serve(api, routes.outline, async ({ params }) => {
    const n = Number(params.number);
    const changeMap = await mapOf(params.id);
    const patch =
      Number.isInteger(n) && n > 0
        ? (await db.withClient((client) => readPatches(client, changeMap.id, n, 1)))[0]
        : undefined;
    if (!patch || patch.number !== n) {
      throw notFound("patch");
    }
    return { ...patch, geometry: JSON.parse(patch.geometry) as object };
  });
  serve(api, routes.place, async ({ params, query }) => {
    const changeMap = await mapOf(params.id);
    return {
      place: await db.withClient((client) =>
        placeOfPatch(client, changeMap.id, query as PatchQuery, query.number),
      ),
    };
  });
  serve(api, routes.makeFile, async ({ params, body }) => {
    const changeMap = await db.withClient((client) => findChangeMap(client, params.id));
    if (!changeMap) {
      throw notFound("change map");
    }
    const format = FILE_FORMATS[body.format];
    const fileName = `${
      changeMap.name
        .normalize("NFKD")
        .replace(/[^\w.-]+/g, "_")
        .replace(/^_+|_+$/g, "") || "change_map"
    }.${format.extension}`;
    const runId = await db.withTransaction((client) =>
      engine.submit(client, {
        studyId: changeMap.studyId,
        kind: "makeFile",
        title: `Make ${fileName}`,
        params: { changeMapId: changeMap.id, format: body.format, fileName },
      }),
    );
    return new Reply(202, { runId });
  });
  api.get("/files/:id", async (req, res) => {
    const blob = await db.withClient((client) => findBlob(client, idOf(req)));
    if (!blob || blob.purpose !== "file" || blob.state !== "ready") {
      throw notFound("file");
    }
    res.set({
      "content-type": blob.mediaType ?? "application/octet-stream",
      "content-length": String(blob.size),
      "content-disposition": `attachment; filename="${blob.name.replace(/[^\w.-]/g, "_")}"; filename*=UTF-8''${encodeURIComponent(blob.name)}`,
      "cache-control": "no-store",
    });
    await pipeline(Readable.from(new BlobSource(db, blob.id, blob.size).stream()), res).catch(
      (e) => {
        if ((e as { code?: string }).code !== "ERR_STREAM_PREMATURE_CLOSE") {
          throw e;
        }
      },
    );
  });
}

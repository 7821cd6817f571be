import { pipeline } from "node:stream/promises";
import { Readable } from "node:stream";
import type { Router } from "express";
import * as yup from "yup";
import { BlobSource, findBlob } from "../db/blobs";
import {
  type ChangeMap,
  PATCH_ORDERS,
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
import { FILE_FORMATS, type FileFormat } from "../runs/makeFile";
import { checked, idOf } from "./http";
import type { Services } from "./services";

const fileSchema = yup
  .object({
    format: yup
      .string()
      .oneOf(Object.keys(FILE_FORMATS) as FileFormat[])
      .required(),
  })
  .noUnknown();
const list = (value: unknown) =>
  typeof value === "string" && value !== "" ? value.split(",").map(Number) : value;
const number = () => yup.number().nullable().default(null);
const which = {
  labels: yup
    .array(yup.number().integer().min(1).max(254).required())
    .transform((_v, raw) => list(raw))
    .nullable()
    .default(null),
  leastM2: number(),
  mostM2: number(),
  measureFrom: number(),
  measureTo: number(),
  elevationFrom: number(),
  elevationTo: number(),
  sort: yup
    .string()
    .oneOf(Object.keys(PATCH_ORDERS) as (keyof typeof PATCH_ORDERS)[])
    .default("area"),
  down: yup.boolean().default(true),
};
const patchQuery = yup
  .object({
    ...which,
    offset: yup.number().integer().min(0).default(0),
    limit: yup.number().integer().min(1).max(500).default(100),
  })
  .noUnknown();
const boxQuery = yup
  .object({
    ...which,
    box: yup
      .array(yup.number().required())
      .length(4, "box takes west, south, east, north")
      .transform((_v, raw) => list(raw))
      .required(),
    limit: yup.number().integer().min(1).max(5000).default(1500),
    toleranceDeg: yup.number().min(0).max(10).default(0),
  })
  .noUnknown();
const placeQuery = yup
  .object({ ...which, number: yup.number().integer().min(1).required() })
  .noUnknown();

async function withTable(client: Client, changeMap: ChangeMap) {
  const info = (await findImage(client, changeMap.imageId))!.info;
  const files = (
    await client.query<{ id: string; name: string; size: number; format: string }>(
      "SELECT id, name, size::float8 AS size, detail->>'format' AS format FROM blob WHERE purpose = 'file' AND detail->>'changeMapId' = $1 ORDER BY created_at",
      [changeMap.id],
    )
  ).rows;
  return { ...changeMap, info, rows: tallyRows(changeMap, info), files };
}

const renameSchema = yup
  .object({
    name: yup
      .string()
      .trim()
      .min(1, "Give the change map a name")
      .max(120, "A name has at most 120 characters")
      .required("Give the change map a name"),
  })
  .noUnknown();

/** Routes of change maps: listed, renamed, deleted, their patches and files. */
export function changeMapRoutes(api: Router, { db, engine }: Services): void {
  api.get("/studies/:id/change-maps", async (req, res) => {
    res.json(
      await db.withClient(async (client) =>
        Promise.all(
          (await listChangeMaps(client, idOf(req))).map((changeMap) =>
            withTable(client, changeMap),
          ),
        ),
      ),
    );
  });
  api.get("/change-maps/:id", async (req, res) => {
    const m = await db.withClient(async (client) => {
      const changeMap = await findChangeMap(client, idOf(req));
      return changeMap ? withTable(client, changeMap) : null;
    });
    if (!m) {
      throw notFound("change map");
    }
    res.json(m);
  });
  api.patch("/change-maps/:id", async (req, res) => {
    const id = idOf(req);
    const { name } = checked(renameSchema, req.body, "body");
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
    res.json(changeMap);
  });
  api.delete("/change-maps/:id", async (req, res) => {
    const id = idOf(req);
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
    res.status(204).end();
  });
  const mapOf = async (id: string): Promise<ChangeMap> => {
    const changeMap = await db.withClient((client) => findChangeMap(client, id));
    if (!changeMap) {
      throw notFound("change map");
    }
    return changeMap;
  };
  /** Patches in an order, some at a time. */
  api.get("/change-maps/:id/patches", async (req, res) => {
    const query = checked(patchQuery, req.query, "query");
    const changeMap = await mapOf(idOf(req));
    res.json(
      await db.withClient((client) =>
        queryPatches(client, changeMap.id, query as PatchQuery, query.offset, query.limit),
      ),
    );
  });
  /**
   * Outlines of patches in a part of the map, the largest first, as fine as the screen shows them.
   */
  api.get("/change-maps/:id/outlines", async (req, res) => {
    const query = checked(boxQuery, req.query, "query");
    const changeMap = await mapOf(idOf(req));
    res.json(
      (
        await db.withClient((client) =>
          patchesIn(client, changeMap.id, query as PatchQuery, query.box, query.limit),
        )
      ).map((patch) => ({
        ...patch,
        geometry: forScreen(
          JSON.parse(patch.geometry) as Parameters<typeof forScreen>[0],
          query.toleranceDeg,
        ),
      })),
    );
  });
  api.get("/change-maps/:id/outlines/:number", async (req, res) => {
    const n = Number(req.params.number);
    const changeMap = await mapOf(idOf(req));
    const patch =
      Number.isInteger(n) && n > 0
        ? (await db.withClient((client) => readPatches(client, changeMap.id, n, 1)))[0]
        : undefined;
    if (!patch || patch.number !== n) {
      throw notFound("patch");
    }
    res.json({ ...patch, geometry: JSON.parse(patch.geometry) as object });
  });
  api.get("/change-maps/:id/place", async (req, res) => {
    const query = checked(placeQuery, req.query, "query");
    const changeMap = await mapOf(idOf(req));
    res.json({
      place: await db.withClient((client) =>
        placeOfPatch(client, changeMap.id, query as PatchQuery, query.number),
      ),
    });
  });
  api.post("/change-maps/:id/files", async (req, res) => {
    const b = checked(fileSchema, req.body, "body");
    const changeMap = await db.withClient((client) => findChangeMap(client, idOf(req)));
    if (!changeMap) {
      throw notFound("change map");
    }
    const format = FILE_FORMATS[b.format];
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
        params: { changeMapId: changeMap.id, format: b.format, fileName },
      }),
    );
    res.status(202).json({ runId });
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

import type { Router } from "express";
import * as yup from "yup";

import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { utcText } from "@hindglance/core/radar/orbit";
import type { Archive, ArchiveItem } from "../archive/archive";
import { pictureType } from "../archive/transport";
import { listOrbits } from "../db/products";
import { type Scene, listScenes } from "../db/scenes";
import { type Study, findStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { orbitFor, sameMission, sensorOfScene } from "../products/orbits";
import { checked, idOf } from "./http";
import { footprint } from "./scenes";
import type { Services } from "./services";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { daySchema } from "@hindglance/contract/shapes";

const KINDS = ["radar", "elevation", "orbit"] as const;
const day = daySchema().nullable().default(null);
const searchSchema = yup
  .object({
    kind: yup
      .string()
      .oneOf(["radar", "elevation"] as const)
      .required(),
    from: day,
    to: day,
    pass: yup.string().oneOf(["ascending", "descending"]).nullable().default(null),
    polarisation: yup.string().oneOf(["VV", "VH", "HH", "HV"]).nullable().default(null),
    anywhere: yup.boolean().default(false),
    next: yup.string().max(20_000).nullable().default(null),
  })
  .noUnknown();
const fetchSchema = yup
  .object({
    kind: yup.string().oneOf(KINDS).required(),
    items: yup
      .array(
        yup
          .object({
            collection: yup.string().max(200).required(),
            id: yup.string().max(300).required(),
          })
          .noUnknown(),
      )
      .min(1)
      .max(200)
      .required(),
  })
  .noUnknown();

/** Everything of an item that a page needs; addresses of files stay in the server. */
const itemView = (archiveItem: ArchiveItem, have: boolean) => ({
  id: archiveItem.id,
  collection: archiveItem.collection,
  kind: archiveItem.kind,
  title: archiveItem.title,
  from: archiveItem.from,
  to: archiveItem.to,
  footprint: archiveItem.footprint?.[0]?.[0] ?? null,
  pass: archiveItem.pass,
  polarisations: archiveItem.polarisations,
  mode: archiveItem.mode,
  platform: archiveItem.platform,
  bytes: archiveItem.asset.bytes,
  picture: archiveItem.thumbnail !== null,
  have,
});

/** Places that must be shown: the study area, else what the scenes show. */
function areaOf(study: Study, scenes: readonly Scene[]): MultiPolygon | null {
  if (study.studyArea) {
    return multiPolygonFrom(study.studyArea);
  }
  const rings = scenes.flatMap((scene) => {
    if (scene.detail.outline) {
      return [scene.detail.outline];
    }
    if (scene.info && !isSensorFrame(scene.info.grid.crs)) {
      return [footprint(scene.info.grid)];
    }
    return [];
  });
  return rings.length ? rings.map((ring) => [ring]) : null;
}

const archiveIds = (scene: Scene): string[] => {
  const archive = scene.detail.archive as { id: string } | { id: string }[] | undefined;
  return [
    ...(Array.isArray(archive) ? archive.map((x) => x.id) : archive ? [archive.id] : []),
    ...(scene.detail.product ? [String(scene.detail.product)] : []),
    ...((scene.detail.frames as { product: string }[] | undefined) ?? []).map(
      (frame) => frame.product,
    ),
  ];
};

/** Routes of the archive: searched, what a study lacks, fetched. */
export function archiveRoutes(api: Router, { db, engine, archive }: Services): void {
  const known = (): Archive => {
    if (!archive) {
      throw new AppError(
        503,
        "noArchive",
        "No archive is set for this server",
        undefined,
        "Start it with ARCHIVE_URL, the address of an archive that speaks the STAC API.",
      );
    }
    return archive;
  };

  /**
   * Whether there is an archive, and what it has; a broken one is told in words and is no error of
   * the page.
   */
  api.get("/archive", async (_req, res) => {
    if (!archive) {
      res.json({ set: false, problem: null, title: null, host: null, kinds: [] });
      return;
    }
    try {
      res.json({ set: true, problem: null, ...(await archive.describe()) });
    } catch (error) {
      if (!(error instanceof AppError)) {
        throw error;
      }
      res.json({
        set: true,
        problem: `${error.message}.`,
        title: null,
        host: new URL(archive.settings.url).host,
        kinds: [],
      });
    }
  });

  api.post("/studies/:id/archive/search", async (req, res) => {
    const id = idOf(req);
    const b = checked(searchSchema, req.body, "body");
    const { study, scenes } = await db.withClient(async (client) => ({
      study: await findStudy(client, id),
      scenes: await listScenes(client, id),
    }));
    if (!study) {
      throw notFound("study");
    }
    if (b.from && b.to && b.from > b.to) {
      throw new AppError(422, "invalid", "The search ends before it begins", "to");
    }
    const area = b.anywhere ? null : areaOf(study, scenes);
    const have = new Set(scenes.flatMap(archiveIds));
    if (b.kind === "elevation" && !area) {
      throw new AppError(
        422,
        "invalid",
        "It is not known where elevation is needed",
        "studyArea",
        "Draw the study area, or add a scene first.",
      );
    }
    const archiveAnswer = await known().search({
      kind: b.kind,
      from: b.from ? `${b.from}T00:00:00Z` : null,
      to: b.to ? `${b.to}T23:59:59Z` : null,
      area,
      pass: b.pass,
      polarisation: b.polarisation,
      limit: 40,
      next: b.next,
    });
    res.json({
      items: archiveAnswer.items.map((item) => itemView(item, have.has(item.id))),
      next: archiveAnswer.next,
      leftOut: archiveAnswer.leftOut,
      within: b.anywhere ? null : study.studyArea ? "study area" : area ? "scenes" : null,
    });
  });

  /**
   * What the chain of this study lacks and the archive has: orbit files by date, and elevation
   * where there is none.
   */
  api.get("/studies/:id/archive/lacking", async (req, res) => {
    const id = idOf(req);
    const { study, scenes, orbits } = await db.withClient(async (client) => ({
      study: await findStudy(client, id),
      scenes: await listScenes(client, id),
      orbits: await listOrbits(client, id),
    }));
    if (!study) {
      throw notFound("study");
    }
    if (!archive) {
      res.json({ orbits: [], elevation: null, problem: null });
      return;
    }
    const products = scenes.filter((scene) => sensorOfScene(scene) !== null);
    const without = products.filter((product) => orbitFor(orbits, product)?.kind !== "precise");
    const out: { sceneId: string; sceneName: string; item: ReturnType<typeof itemView> | null }[] =
      [];
    try {
      for (const scene of without) {
        const sensorModel = sensorOfScene(scene)!;
        const from = sensorModel.firstLineT - 30;
        const to = sensorModel.firstLineT + sensorModel.lines * sensorModel.lineIntervalS + 30;
        const found = (
          await archive.search({
            kind: "orbit",
            from: utcText(from),
            to: utcText(to),
            area: null,
            limit: 40,
          })
        ).items.filter(
          (item) =>
            (!item.platform || sameMission(item.platform, sensorModel.mission)) &&
            Date.parse(item.from) <= Date.parse(utcText(from)) &&
            Date.parse(item.to) >= Date.parse(utcText(to)),
        );
        const best =
          found.sort(
            (archiveItem, b) => Number(/res/i.test(archiveItem.id)) - Number(/res/i.test(b.id)),
          )[0] ?? null;
        if (best || !orbitFor(orbits, scene)) {
          out.push({
            sceneId: scene.id,
            sceneName: scene.name,
            item: best ? itemView(best, false) : null,
          });
        }
      }
      const area = areaOf(study, scenes);
      const needs =
        products.length > 0 && !scenes.some((scene) => scene.kind === "elevation") && area !== null;
      const tiles = needs
        ? (await archive.search({ kind: "elevation", from: null, to: null, area, limit: 100 }))
            .items
        : null;
      res.json({
        orbits: out,
        elevation: tiles
          ? {
              items: tiles.map((tile) => itemView(tile, false)),
              bytes: tiles.reduce((n, archiveItem) => n + (archiveItem.asset.bytes ?? 0), 0),
            }
          : null,
        problem: null,
      });
    } catch (error) {
      if (!(error instanceof AppError)) {
        throw error;
      }
      res.json({ orbits: [], elevation: null, problem: `${error.message}.` });
    }
  });

  /**
   * Fetches items in a run. Addresses come from the archive itself at that time, never from the
   * request.
   */
  api.post("/studies/:id/archive/fetch", async (req, res) => {
    const id = idOf(req);
    const b = checked(fetchSchema, req.body, "body");
    const a = known();
    const items = await Promise.all(b.items.map((item) => a.item(item.collection, item.id)));
    const odd = items.find((item) => item.kind !== b.kind);
    if (odd) {
      throw new AppError(
        422,
        "invalid",
        `${odd.title} is not ${b.kind === "orbit" ? "an orbit file" : b.kind}`,
        "items",
      );
    }
    const runId = await db.withTransaction(async (client) => {
      if (!(await findStudy(client, id))) {
        throw notFound("study");
      }
      let title: string;
      if (b.kind === "elevation") {
        title = `Fetch elevation (${items.length} ${items.length === 1 ? "tile" : "tiles"})`;
      } else if (items.length === 1) {
        title = `Fetch ${items[0]!.title}`;
      } else {
        title = `Fetch ${items.length} ${b.kind === "orbit" ? "orbit files" : "products"}`;
      }
      return engine.submit(client, {
        studyId: id,
        kind: "fetchItems",
        title,
        params: {
          kind: b.kind,
          items: items.map((item) => ({
            collection: item.collection,
            id: item.id,
            bytes: item.asset.bytes,
          })),
        },
      });
    });
    res.status(202).json({ runId });
  });

  api.get("/archive/pictures/:collection/:item", async (req, res) => {
    const a = known();
    const picture = await a.thumbnail(
      await a.item(String(req.params.collection), String(req.params.item)),
    );
    res
      .set({ "content-type": pictureType(picture)!, "cache-control": "private, max-age=3600" })
      .send(picture);
  });
}

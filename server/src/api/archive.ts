import type { Router } from "express";
import * as yup from "yup";
import { isSensorFrame } from "@hindglance/core/radar/sensor";
import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { utcText } from "@hindglance/core/radar/orbit";
import type { Archive, ArchiveItem } from "../archive/archive";
import { pictureType } from "../archive/transport";
import { listOrbits } from "../db/products";
import { type Scene, listScenes } from "../db/scenes";
import { type Study, findStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { orbitFor, sameMission, sensorOfScene } from "../products/orbits";
import { checked, daySchema, idOf } from "./http";
import { footprint } from "./scenes";
import type { Services } from "./services";

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
const itemView = (i: ArchiveItem, have: boolean) => ({
  id: i.id,
  collection: i.collection,
  kind: i.kind,
  title: i.title,
  from: i.from,
  to: i.to,
  footprint: i.footprint?.[0]?.[0] ?? null,
  pass: i.pass,
  polarisations: i.polarisations,
  mode: i.mode,
  platform: i.platform,
  bytes: i.asset.bytes,
  picture: i.thumbnail !== null,
  have,
});

/** Places that must be shown: the study area, else what the scenes show. */
function areaOf(study: Study, scenes: readonly Scene[]): MultiPolygon | null {
  if (study.studyArea) {
    return multiPolygonFrom(study.studyArea);
  }
  const rings = scenes.flatMap((s) =>
    s.detail.outline
      ? [s.detail.outline as [number, number][]]
      : s.info && !isSensorFrame(s.info.grid.crs)
        ? [footprint(s.info.grid)]
        : [],
  );
  return rings.length ? rings.map((r) => [r]) : null;
}

const archiveIds = (s: Scene): string[] => {
  const a = s.detail.archive as { id: string } | { id: string }[] | undefined;
  return [
    ...(Array.isArray(a) ? a.map((x) => x.id) : a ? [a.id] : []),
    ...(s.detail.product ? [String(s.detail.product)] : []),
    ...((s.detail.frames as { product: string }[] | undefined) ?? []).map((f) => f.product),
  ];
};

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
    } catch (e) {
      if (!(e instanceof AppError)) {
        throw e;
      }
      res.json({
        set: true,
        problem: `${e.message}.`,
        title: null,
        host: new URL(archive.settings.url).host,
        kinds: [],
      });
    }
  });

  api.post("/studies/:id/archive/search", async (req, res) => {
    const id = idOf(req);
    const b = checked(searchSchema, req.body, "body");
    const { study, scenes } = await db.withClient(async (c) => ({
      study: await findStudy(c, id),
      scenes: await listScenes(c, id),
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
    const r = await known().search({
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
      items: r.items.map((i) => itemView(i, have.has(i.id))),
      next: r.next,
      leftOut: r.leftOut,
      within: b.anywhere ? null : study.studyArea ? "study area" : area ? "scenes" : null,
    });
  });

  /**
   * What the chain of this study lacks and the archive has: orbit files by date, and elevation
   * where there is none.
   */
  api.get("/studies/:id/archive/lacking", async (req, res) => {
    const id = idOf(req);
    const { study, scenes, orbits } = await db.withClient(async (c) => ({
      study: await findStudy(c, id),
      scenes: await listScenes(c, id),
      orbits: await listOrbits(c, id),
    }));
    if (!study) {
      throw notFound("study");
    }
    if (!archive) {
      res.json({ orbits: [], elevation: null, problem: null });
      return;
    }
    const products = scenes.filter((s) => sensorOfScene(s) !== null);
    const without = products.filter((s) => orbitFor(orbits, s)?.kind !== "precise");
    const out: { sceneId: string; sceneName: string; item: ReturnType<typeof itemView> | null }[] =
      [];
    try {
      for (const s of without) {
        const m = sensorOfScene(s)!;
        const from = m.firstLineT - 30;
        const to = m.firstLineT + m.lines * m.lineIntervalS + 30;
        const found = (
          await archive.search({
            kind: "orbit",
            from: utcText(from),
            to: utcText(to),
            area: null,
            limit: 40,
          })
        ).items.filter(
          (i) =>
            (!i.platform || sameMission(i.platform, m.mission)) &&
            Date.parse(i.from) <= Date.parse(utcText(from)) &&
            Date.parse(i.to) >= Date.parse(utcText(to)),
        );
        const best =
          found.sort((a, b) => Number(/res/i.test(a.id)) - Number(/res/i.test(b.id)))[0] ?? null;
        if (best || !orbitFor(orbits, s)) {
          out.push({ sceneId: s.id, sceneName: s.name, item: best ? itemView(best, false) : null });
        }
      }
      const area = areaOf(study, scenes);
      const needs =
        products.length > 0 && !scenes.some((s) => s.kind === "elevation") && area !== null;
      const tiles = needs
        ? (await archive.search({ kind: "elevation", from: null, to: null, area, limit: 100 }))
            .items
        : null;
      res.json({
        orbits: out,
        elevation: tiles
          ? {
              items: tiles.map((i) => itemView(i, false)),
              bytes: tiles.reduce((n, i) => n + (i.asset.bytes ?? 0), 0),
            }
          : null,
        problem: null,
      });
    } catch (e) {
      if (!(e instanceof AppError)) {
        throw e;
      }
      res.json({ orbits: [], elevation: null, problem: `${e.message}.` });
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
    const items = await Promise.all(b.items.map((i) => a.item(i.collection, i.id)));
    const odd = items.find((i) => i.kind !== b.kind);
    if (odd) {
      throw new AppError(
        422,
        "invalid",
        `${odd.title} is not ${b.kind === "orbit" ? "an orbit file" : b.kind}`,
        "items",
      );
    }
    const runId = await db.withTransaction(async (c) => {
      if (!(await findStudy(c, id))) {
        throw notFound("study");
      }
      const title =
        b.kind === "elevation"
          ? `Fetch elevation (${items.length} ${items.length === 1 ? "tile" : "tiles"})`
          : items.length === 1
            ? `Fetch ${items[0]!.title}`
            : `Fetch ${items.length} ${b.kind === "orbit" ? "orbit files" : "products"}`;
      return engine.submit(c, {
        studyId: id,
        kind: "fetchItems",
        title,
        params: {
          kind: b.kind,
          items: items.map((i) => ({ collection: i.collection, id: i.id, bytes: i.asset.bytes })),
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

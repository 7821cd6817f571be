import { type Found, type Lacking, archiveRoutes as routes } from "@hindglance/contract/archive";
import { Reply, serve } from "./serve";
import type { Router } from "express";

import { type MultiPolygon, multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { utcText } from "@hindglance/core/radar/orbit";
import type { Archive, ArchiveItem } from "../archive/archive";
import { pictureType } from "../archive/transport";
import { listOrbits } from "../db/products";
import { type Scene, listScenes } from "../db/scenes";
import { type Study, findStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { orbitFor, sameMission, sensorOfScene } from "../products/orbits";
import { footprint } from "./scenes";
import type { Services } from "./services";
import { isSensorFrame } from "@hindglance/core/grid/frames";

/** Everything of an item that a page needs; addresses of files stay in the server. */
const itemView = (archiveItem: ArchiveItem, have: boolean): Found => ({
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
  serve(api, routes.state, async () => {
    if (!archive) {
      return { set: false, problem: null, title: null, host: null, kinds: [] };
      return;
    }
    try {
      return { set: true, problem: null, ...(await archive.describe()) };
    } catch (error) {
      if (!(error instanceof AppError)) {
        throw error;
      }
      return {
        set: true,
        problem: `${error.message}.`,
        title: null,
        host: new URL(archive.settings.url).host,
        kinds: [],
      };
    }
  });

  serve(api, routes.search, async ({ params, body }) => {
    const { id } = params;
    const { study, scenes } = await db.withClient(async (client) => ({
      study: await findStudy(client, id),
      scenes: await listScenes(client, id),
    }));
    if (!study) {
      throw notFound("study");
    }
    if (body.from && body.to && body.from > body.to) {
      throw new AppError(422, "invalid", "The search ends before it begins", "to");
    }
    const area = body.anywhere ? null : areaOf(study, scenes);
    const have = new Set(scenes.flatMap(archiveIds));
    if (body.kind === "elevation" && !area) {
      throw new AppError(
        422,
        "invalid",
        "It is not known where elevation is needed",
        "studyArea",
        "Draw the study area, or add a scene first.",
      );
    }
    const archiveAnswer = await known().search({
      kind: body.kind,
      from: body.from ? `${body.from}T00:00:00Z` : null,
      to: body.to ? `${body.to}T23:59:59Z` : null,
      area,
      pass: body.pass,
      polarisation: body.polarisation,
      limit: 40,
      next: body.next,
    });
    return {
      items: archiveAnswer.items.map((item) => itemView(item, have.has(item.id))),
      next: archiveAnswer.next,
      leftOut: archiveAnswer.leftOut,
      within: body.anywhere ? null : study.studyArea ? "study area" : area ? "scenes" : null,
    };
  });

  /**
   * What the chain of this study lacks and the archive has: orbit files by date, and elevation
   * where there is none.
   */
  serve(api, routes.lacking, async ({ params }) => {
    const { id } = params;
    const { study, scenes, orbits } = await db.withClient(async (client) => ({
      study: await findStudy(client, id),
      scenes: await listScenes(client, id),
      orbits: await listOrbits(client, id),
    }));
    if (!study) {
      throw notFound("study");
    }
    if (!archive) {
      return { orbits: [], elevation: null, problem: null };
      return;
    }
    const products = scenes.filter((scene) => sensorOfScene(scene) !== null);
    const without = products.filter((product) => orbitFor(orbits, product)?.kind !== "precise");
    const out: Lacking["orbits"] = [];
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
            (item, other) => Number(/res/i.test(item.id)) - Number(/res/i.test(other.id)),
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
      return {
        orbits: out,
        elevation: tiles
          ? {
              items: tiles.map((tile) => itemView(tile, false)),
              bytes: tiles.reduce((n, archiveItem) => n + (archiveItem.asset.bytes ?? 0), 0),
            }
          : null,
        problem: null,
      };
    } catch (error) {
      if (!(error instanceof AppError)) {
        throw error;
      }
      return { orbits: [], elevation: null, problem: `${error.message}.` };
    }
  });

  /**
   * Fetches items in a run. Addresses come from the archive itself at that time, never from the
   * request.
   */
  serve(api, routes.fetch, async ({ params, body }) => {
    const { id } = params;
    const a = known();
    const items = await Promise.all(body.items.map((item) => a.item(item.collection, item.id)));
    const odd = items.find((item) => item.kind !== body.kind);
    if (odd) {
      throw new AppError(
        422,
        "invalid",
        `${odd.title} is not ${body.kind === "orbit" ? "an orbit file" : body.kind}`,
        "items",
      );
    }
    const runId = await db.withTransaction(async (client) => {
      if (!(await findStudy(client, id))) {
        throw notFound("study");
      }
      let title: string;
      if (body.kind === "elevation") {
        title = `Fetch elevation (${items.length} ${items.length === 1 ? "tile" : "tiles"})`;
      } else if (items.length === 1) {
        title = `Fetch ${items[0]!.title}`;
      } else {
        title = `Fetch ${items.length} ${body.kind === "orbit" ? "orbit files" : "products"}`;
      }
      return engine.submit(client, {
        studyId: id,
        kind: "fetchItems",
        title,
        params: {
          kind: body.kind,
          items: items.map((item) => ({
            collection: item.collection,
            id: item.id,
            bytes: item.asset.bytes,
          })),
        },
      });
    });
    return new Reply(202, { runId });
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

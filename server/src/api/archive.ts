import type { Request, Response, Router } from "express";
import { archiveRoutes as routes } from "@hindglance/contract/archive";
import type { Archive } from "../archive/archive";
import { pictureType } from "../archive/fetchAsset";
import type { ArchiveItem, ArchiveKind } from "../archive/item";
import type { Scene } from "../db/scenes";
import { findStudy } from "../db/studies";
import { AppError, notFound } from "../errors";
import { chainMaterial, lackingOf } from "./archiveLacking";
import { areaOf, itemView, studyWithScenes } from "./archiveView";
import { Reply, type Work, serve } from "./serve";
import type { Services } from "./services";

/** Names under which the archive may know what a scene was made of. */
function archiveIds({ detail }: Scene): string[] {
  // What came from the archive remembers its item, or the items that were joined.
  const { archive, frames, product } = detail;
  return [
    ...[archive ?? []].flat().map(({ id }) => id),
    ...(product ? [product] : []),
    ...(frames ?? []).map((frame) => frame.product),
  ];
}

/** @throws AppError where the server was told of no archive */
function requireArchive({ archive }: Services): Archive {
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
}

/** What is wrong with the archive, in a sentence. @throws the error where it is something else */
function problemOf(error: unknown): string {
  if (!(error instanceof AppError)) {
    throw error;
  }
  return `${error.message}.`;
}

/**
 * Whether there is an archive, and what it has; a broken one is told in words and is no error of
 * the page.
 */
const state =
  ({ archive }: Services): Work<typeof routes.state> =>
  async () => {
    const nothing = { problem: null, title: null, host: null, kinds: [] };
    if (!archive) {
      return { ...nothing, set: false };
    }
    try {
      return { set: true, problem: null, ...(await archive.describe()) };
    } catch (error) {
      const { host } = new URL(archive.settings.url);
      return { ...nothing, set: true, host, problem: problemOf(error) };
    }
  };

/** What a search was kept to; null where it was not, or nothing is known to keep it to. */
function withinOf(isAnywhere: boolean, hasStudyArea: boolean, hasArea: boolean) {
  if (isAnywhere) {
    return null;
  }
  if (hasStudyArea) {
    return "study area";
  }
  return hasArea ? "scenes" : null;
}

const search =
  (services: Services): Work<typeof routes.search> =>
  async ({ params: { id }, body }) => {
    const { kind, from, to, pass, polarisation, anywhere, next } = body;
    const { study, scenes } = await services.db.withClient((client) => studyWithScenes(client, id));
    if (from && to && from > to) {
      throw new AppError(422, "invalid", "The search ends before it begins", "to");
    }
    const area = anywhere ? null : areaOf(study, scenes);
    if (kind === "elevation" && !area) {
      throw new AppError(
        422,
        "invalid",
        "It is not known where elevation is needed",
        "studyArea",
        "Draw the study area, or add a scene first.",
      );
    }
    const found = await requireArchive(services).search({
      kind,
      from: from && `${from}T00:00:00Z`,
      to: to && `${to}T23:59:59Z`,
      ...{ area, pass, polarisation, next },
      limit: 40,
    });
    const have = new Set(scenes.flatMap(archiveIds));
    return {
      items: found.items.map((item) => itemView(item, have.has(item.id))),
      next: found.next,
      leftOut: found.leftOut,
      within: withinOf(anywhere, !!study.studyArea, !!area),
    };
  };

/** What the chain of a study lacks and the archive has. */
const lacking =
  ({ db, archive }: Services): Work<typeof routes.lacking> =>
  async ({ params: { id } }) => {
    const material = await db.withClient((client) => chainMaterial(client, id));
    try {
      return archive
        ? await lackingOf(archive, material)
        : { orbits: [], elevation: null, problem: null };
    } catch (error) {
      return { orbits: [], elevation: null, problem: problemOf(error) };
    }
  };

const SINGULAR: Record<ArchiveKind, string> = {
  radar: "radar",
  elevation: "elevation",
  orbit: "an orbit file",
};

/** What a run that fetches items is called. */
function titleOf(kind: ArchiveKind, items: readonly ArchiveItem[]): string {
  const { length } = items;
  if (kind === "elevation") {
    return `Fetch elevation (${length} ${length === 1 ? "tile" : "tiles"})`;
  }
  if (length === 1) {
    return `Fetch ${items[0]!.title}`;
  }
  return `Fetch ${length} ${kind === "orbit" ? "orbit files" : "products"}`;
}

/**
 * Fetches items in a run. Addresses come from the archive itself at that time, never from the
 * request.
 */
const fetchItems =
  (services: Services): Work<typeof routes.fetch> =>
  async ({ params: { id: studyId }, body: { kind, items: asked } }) => {
    const archive = requireArchive(services);
    const items = await Promise.all(asked.map((one) => archive.item(one.collection, one.id)));
    const odd = items.find((item) => item.kind !== kind);
    if (odd) {
      throw new AppError(422, "invalid", `${odd.title} is not ${SINGULAR[kind]}`, "items");
    }
    const told = items.map(({ collection, id, asset }) => ({ collection, id, bytes: asset.bytes }));
    const runId = await services.db.withTransaction(async (client) => {
      if (!(await findStudy(client, studyId))) {
        throw notFound("study");
      }
      return services.engine.submit(client, {
        studyId,
        kind: "fetchItems",
        title: titleOf(kind, items),
        params: { kind, items: told },
      });
    });
    return new Reply(202, { runId });
  };

/** Sends the small picture of an item. */
const sendPicture =
  (services: Services) =>
  async ({ params }: Request, res: Response): Promise<void> => {
    const archive = requireArchive(services);
    const item = await archive.item(String(params.collection), String(params.item));
    const picture = await archive.thumbnail(item);
    res
      .set({ "content-type": pictureType(picture)!, "cache-control": "private, max-age=3600" })
      .send(picture);
  };

/** Routes of the archive: searched, what a study lacks, fetched. */
export function archiveRoutes(api: Router, services: Services): void {
  serve(api, routes.state, state(services));
  serve(api, routes.search, search(services));
  serve(api, routes.lacking, lacking(services));
  serve(api, routes.fetch, fetchItems(services));
  api.get("/archive/pictures/:collection/:item", sendPicture(services));
}

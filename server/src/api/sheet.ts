import { createHash } from "node:crypto";
import type { Request, Response, Router } from "express";
import {
  MOST_PIXELS,
  type DrawnPage,
  pictureQuery,
  sheetRoutes as routes,
} from "@hindglance/contract/sheet";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { type Composition, type Page, composeSheet } from "@hindglance/core/sheet/compose";
import type { SheetFacts } from "@hindglance/core/sheet/facts";
import type { PictureMark } from "@hindglance/core/sheet/marks";
import { middleOf, scaleOf } from "@hindglance/core/sheet/scale";
import { pageSvg } from "@hindglance/core/sheet/svg";
import { metresOfFacts, proposedSheet } from "@hindglance/core/sheet/views";
import type { ChangeMap } from "../db/changeMaps";
import { findImage } from "../db/images";
import { deleteLayout, findSheet, listLayouts, saveLayout, saveSheet } from "../db/sheets";
import { addToLedger } from "../db/studies";
import { AppError, notFound } from "../errors";
import { sheetMaterial } from "../sheet/facts";
import { FONTS } from "../sheet/fonts";
import { imagesKey } from "../sheet/images";
import { pixelsOf } from "../sheet/pictures";
import { checked, idOf } from "./http";
import { requireMap } from "./requireMap";
import { Reply, type Work, serve } from "./serve";
import type { Services } from "./services";
import { whenLeft } from "./shared";

interface MapWithInfo {
  map: ChangeMap;
  info: ImageInfo;
}

/** @throws AppError 404 */
const findMap = ({ db }: Services, id: string): Promise<MapWithInfo> =>
  db.withClient(async (client) => {
    const map = await requireMap(client, id);
    return { map, info: (await findImage(client, map.imageId))!.info };
  });

/** What a sheet of a map tells and is drawn from; no cell is read for it. */
const materialOf = ({ db, sources }: Services, { map, info }: MapWithInfo) =>
  sheetMaterial({ db, sources, evaluator: new Evaluator({ sources }) }, map, info);

const find =
  (services: Services): Work<typeof routes.find> =>
  async ({ params: { id } }) => {
    const own = await findMap(services, id);
    const state = await services.db.withClient((client) => findSheet(client, id));
    if (state) {
      return state;
    }
    const { facts } = await materialOf(services, own);
    return { sheet: proposedSheet(facts), version: 0 };
  };

const save =
  ({ db }: Services): Work<typeof routes.save> =>
  ({ params: { id }, body: { sheet, version } }) =>
    db.withTransaction(async (client) => {
      const { studyId, name } = await requireMap(client, id);
      const state = await saveSheet(client, id, sheet, version);
      if (!state) {
        throw new AppError(
          409,
          "conflict",
          "Somebody else has changed this sheet since you opened it",
          "version",
          "Open it again, then make your change.",
        );
      }
      await addToLedger(client, studyId, "Sheet set", { changeMap: id, name });
      return state;
    });

/** Letters of the hash by which pictures of other images have other addresses. */
const DIGITS = 16;

/** Millimetres of a pixel of the screen's pictures, on A4: 150 dots an inch. */
const SCREEN_MM = 25.4 / 150;

/** Where the page finds a picture. */
function addressOf(id: string, key: string, mark: PictureMark): string {
  const { width, height } = pixelsOf(mark, SCREEN_MM);
  const query = new URLSearchParams({
    ...{ of: key, side: mark.side, ground: mark.ground.join(",") },
    ...{ width: String(width), height: String(height), pixelMm: String(SCREEN_MM) },
  });
  return `/api/change-maps/${id}/sheet/picture?${query.toString()}`;
}

/** A page as the screen shows it. */
function drawnPage(
  page: Page,
  k: number,
  {
    composition,
    facts,
    address,
  }: {
    composition: Composition;
    facts: SheetFacts;
    address(mark: PictureMark): string;
  },
): DrawnPage {
  const { width, height, marks, frames, texts } = page;
  const metres = metresOfFacts(facts);
  const toLonLat = transformer(facts.crs, LONLAT);
  return {
    ...{ width, height, frames, texts },
    svg: pageSvg(marks, {
      ...{ width, height, scale: composition.scale, title: null },
      idPrefix: `page${k + 1}`,
      picture: (mark) => ({ ...mark, href: address(mark) }),
    }),
    maps: page.maps.map(({ kind, placed }) => ({
      ...{ kind, placed, scale: scaleOf(placed, composition.scale, metres) },
      middle: toLonLat(...middleOf(placed.ground)),
    })),
  };
}

const draw =
  (services: Services): Work<typeof routes.draw> =>
  async ({ params: { id }, body: { sheet } }) => {
    const { facts, found } = await materialOf(services, await findMap(services, id));
    const key = createHash("sha256").update(imagesKey(found.images)).digest("hex").slice(0, DIGITS);
    const composition = composeSheet(FONTS, facts, sheet);
    const address = (mark: PictureMark) => addressOf(id, key, mark);
    return {
      pages: composition.pages.map((page, k) =>
        drawnPage(page, k, { composition, facts, address }),
      ),
      crs: facts.crs,
      lacking: composition.lacking,
      proposed: { title: facts.title, subtitle: facts.subtitle },
    };
  };

/** Sends a picture of a sheet as PNG. */
const sendPicture =
  (services: Services) =>
  async (req: Request, res: Response): Promise<void> => {
    const { side, ground, width, height, pixelMm } = checked(pictureQuery, req.query, "query");
    if (width * height > MOST_PIXELS) {
      throw new AppError(
        422,
        "invalid",
        `A picture of the screen has at most ${MOST_PIXELS} pixels`,
        "width",
      );
    }
    const { found } = await materialOf(services, await findMap(services, idOf(req)));
    const [west, south, east, north] = ground;
    const picture: PictureMark = {
      ...{ kind: "picture", side, x: 0, y: 0, width: width * pixelMm, height: height * pixelMm },
      ground: [west!, south!, east!, north!],
    };
    const pixels = { x: 0, y: 0, pixelMm, width, height };
    const left = whenLeft(res);
    try {
      const bytes = await services.previews.sheetPicture(
        { images: found.images, picture, pixels },
        left,
      );
      res
        .set({ "content-type": "image/png", "cache-control": "private, max-age=3600" })
        .send(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
    } catch (error) {
      if (!left.aborted) {
        throw error;
      }
    }
  };

/** Routes of the sheets of maps, and of layouts that serve all studies. */
export function sheetRoutes(api: Router, services: Services): void {
  const { db } = services;
  serve(api, routes.find, find(services));
  serve(api, routes.save, save(services));
  serve(api, routes.draw, draw(services));
  serve(api, routes.layouts, () => db.withClient(listLayouts));
  serve(api, routes.saveLayout, async ({ body: { name, layout } }) => {
    return new Reply(201, await db.withTransaction((client) => saveLayout(client, name, layout)));
  });
  serve(api, routes.removeLayout, async ({ params }) => {
    if (!(await db.withTransaction((client) => deleteLayout(client, params.id)))) {
      throw notFound("layout");
    }
    return null;
  });
  api.get("/change-maps/:id/sheet/picture", sendPicture(services));
}

import { changeMapRoutes } from "@hindglance/contract/changeMaps";
import { nodeRoutes as routes, sceneRoutes } from "@hindglance/contract/scenes";
import { type Work, serve } from "./serve";
import type { Request, Response, Router } from "express";
import type { NodeView } from "@hindglance/contract/nodes";
import { ontoGrid } from "@hindglance/core/grid/globe";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { nodeHash, type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { versionOf } from "@hindglance/core/graph/registry";

import { BLOCK, type Grid, levelCount, levelGrid, squareNorthUp } from "@hindglance/core/grid/grid";

import { LRUCache } from "lru-cache";
import { bytesOf } from "@hindglance/core/bytes";
import { type NodeRow, findNode, saveNode } from "../db/nodes";
import { type Scene, findScene } from "../db/scenes";
import { AppError, notFound } from "../errors";
import { preparation } from "../products/preparation";
import { requireMap } from "./requireMap";
import type { Services } from "./services";
import { whenLeft } from "./shared";
import { onGrid } from "@hindglance/core/graph/onGrid";
import { isSensorFrame } from "@hindglance/core/grid/frames";

/** A node as the page gets it. */
export const nodeView = (nodeRow: NodeRow): NodeView => ({
  hash: nodeRow.hash,
  info: nodeRow.info,
  levels: levelCount(nodeRow.info.grid.width, nodeRow.info.grid.height),
  block: BLOCK,
});

/**
 * Makes a node known, so that its tiles have an address. @throws InputError when a step refuses its
 * inputs
 */
export async function register(
  { db, sources }: Pick<Services, "db" | "sources">,
  spec: NodeSpec,
): Promise<NodeRow> {
  const info = await new Evaluator({ sources }).info(spec);
  const row = { hash: nodeHash(spec, versionOf), spec, info };
  await db.withClient((client) => saveNode(client, row));
  return row;
}

/** Cells of sensor geometry that looks have made oblong are shown on square ones. */
function onSquares(spec: NodeSpec, { grid }: ImageInfo): NodeSpec {
  const [x0, across, , y0, , down] = grid.transform;
  if (!isSensorFrame(grid.crs) || across === down) {
    return spec;
  }
  const side = Math.min(across, down);
  const square: Grid = {
    ...grid,
    transform: [x0, side, 0, y0, 0, side],
    width: Math.round((grid.width * across) / side),
    height: Math.round((grid.height * down) / side),
  };
  return node("grid.warp", { grid: square, kernel: "bilinear" }, spec);
}

const POWER_OF_AMPLITUDES = { to: "none", removeNoise: false, polarisations: null };

/** A node as it is looked at: power, and the square of amplitudes, in decibels. */
export function shown(whole: NodeSpec, info: ImageInfo): NodeSpec {
  const spec = onSquares(whole, info);
  if (info.bands.some(({ role, gain }) => role === "dn" && gain)) {
    return node("optical.reflectance", {}, spec);
  }
  if (info.bands.every(({ role }) => role === "amplitude")) {
    return node("radar.decibel", {}, node("radar.calibrate", POWER_OF_AMPLITUDES, spec));
  }
  return info.bands.some(({ role }) => role === "power") ? node("radar.decibel", {}, spec) : spec;
}

/** A scene in sensor geometry as the chain brings it onto the map. @throws AppError */
async function mappedNode(services: Services, scene: Scene): Promise<NodeRow> {
  const { nodes } = await services.db.withClient((client) =>
    preparation(client, scene.studyId, "radar"),
  );
  const made = nodes.get(scene.id);
  const row = made && !made.error ? await register(services, made.result) : null;
  if (!row || isSensorFrame(row.info.grid.crs)) {
    throw new AppError(
      409,
      "notPrepared",
      `${scene.name} does not lie on the map`,
      "scene",
      "See Prepare.",
    );
  }
  return row;
}

/** Nodes that show a scene. @param onMap whether one in sensor geometry is shown as it is prepared */
export async function sceneNode(
  services: Services,
  sceneId: string,
  onMap = false,
): Promise<NodeRow> {
  const scene = await services.db.withClient((client) => findScene(client, sceneId));
  if (!scene) {
    throw notFound("scene");
  }
  const { imageId, info } = scene;
  if (!imageId || !info) {
    throw new AppError(409, "notReady", `${scene.name} is still being imported`, "scene");
  }
  const source = sourceNode(imageId);
  if (!isSensorFrame(info.grid.crs)) {
    // Maps are drawn north up on square cells; other grids are put on one first.
    return register(services, shown(onGrid(source, info, squareNorthUp(info.grid)), info));
  }
  if (!onMap) {
    return register(services, shown(source, info));
  }
  const row = await mappedNode(services, scene);
  return register(services, shown(row.spec, row.info));
}

/** Finds a node that somebody asked for before. @throws AppError 404 */
type Find = (hash: string) => Promise<NodeRow>;

/** Bytes of nodes that are remembered. */
const NODE_BYTES = 16 << 20;

/** Nodes by their hash; those that were asked for last are remembered. */
function finder({ db }: Services): Find {
  const known = new LRUCache<string, NodeRow>({
    maxSize: NODE_BYTES,
    sizeCalculation: (row) => Math.min(NODE_BYTES, bytesOf(row)),
  });
  return async (hash) => {
    const row = known.get(hash) ?? (await db.withClient((client) => findNode(client, hash)));
    if (!row) {
      throw notFound("image");
    }
    known.set(hash, row);
    return row;
  };
}

/** What nodes show at one place, band by band; nothing where they do not lie on the Earth. */
const values =
  ({ previews }: Services, find: Find): Work<typeof routes.values> =>
  async ({ body: { hashes, place, sizeCells } }) => {
    const out = [];
    for (const hash of hashes) {
      const { spec, info } = await find(hash);
      const places = isSensorFrame(info.grid.crs) ? [] : [ontoGrid(info.grid)(place[0], place[1])];
      const [found] = await previews.values({ node: spec, places, sizeCells });
      out.push({
        hash,
        bands: info.bands.map(({ name, wavelengthNm, unit }, k) => ({
          name,
          nm: wavelengthNm ?? null,
          unit,
          value: found?.[k] ?? null,
        })),
      });
    }
    return out;
  };

/** A whole number of at most six digits in an address; NaN where it is none. */
const indexIn = (text: unknown): number => (/^\d{1,6}$/.test(String(text)) ? Number(text) : NaN);

/** Which tile an address asks for. @throws AppError 404 where the image has no such tile */
function tileIn({ params }: Request, { info }: NodeRow) {
  const [level, row, col] = [params.level, params.row, params.col].map(indexIn);
  const { width, height } = info.grid;
  const isLevel = level! < levelCount(width, height);
  const grid = isLevel ? levelGrid(info.grid, level!) : null;
  if (!grid || !(row! * BLOCK < grid.height) || !(col! * BLOCK < grid.width)) {
    throw notFound("tile");
  }
  return { level: level!, row: row!, col: col! };
}

/** Bands that are asked for; null is all. @throws AppError where there is no such band */
function bandsIn({ query }: Request, { info }: NodeRow): number[] | null {
  if (query.bands === undefined) {
    return null;
  }
  const bands = String(query.bands).split(",").map(Number);
  const most = info.bands.length - 1;
  if (bands.some((band) => !Number.isInteger(band) || band < 0 || band > most)) {
    throw new AppError(422, "invalid", `bands must be numbers from 0 to ${most}`, "bands");
  }
  if (new Set(bands).size !== bands.length) {
    throw new AppError(422, "invalid", "bands names each band once", "bands");
  }
  return bands;
}

/**
 * Cells of a tile: little-endian float32 (NaN = nodata) or uint8 labels (255 = nodata), band after
 * band, cut to the image.
 */
const sendTile =
  ({ previews }: Services, find: Find) =>
  async (req: Request, res: Response): Promise<void> => {
    const hash = String(req.params.hash);
    if (!/^[0-9a-f]{32}$/.test(hash)) {
      throw notFound("image");
    }
    const found = await find(hash);
    const tile = tileIn(req, found);
    const bands = bandsIn(req, found);
    const etag = `"${hash}-${tile.level}-${tile.row}-${tile.col}-${bands?.join(".") ?? "all"}"`;
    const lasting = { etag, "cache-control": "private, max-age=31536000, immutable" };
    if (req.headers["if-none-match"] === etag) {
      res.set(lasting).status(304).end();
      return;
    }
    const left = whenLeft(res);
    try {
      const { bytes } = await previews.tile({ node: found.spec, ...tile, bands }, left);
      res
        .set({ ...lasting, "content-type": "application/octet-stream" })
        .send(Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength));
    } catch (error) {
      if (!left.aborted) {
        throw error;
      }
    }
  };

/** Routes of images: what shows a scene or a map, values at a place, tiles. */
export function nodeRoutes(api: Router, services: Services): void {
  const find = finder(services);
  serve(api, sceneRoutes.node, async ({ params, query }) =>
    nodeView(await sceneNode(services, params.id, query.onMap === "1")),
  );
  serve(api, changeMapRoutes.node, async ({ params }) => {
    const changeMap = await services.db.withClient((client) => requireMap(client, params.id));
    return nodeView(await register(services, sourceNode(changeMap.imageId)));
  });
  serve(api, changeMapRoutes.doubtNode, async ({ params }) => {
    const { doubt } = await services.db.withClient((client) => requireMap(client, params.id));
    if (!doubt) {
      throw notFound("doubt of the change map");
    }
    return nodeView(await register(services, sourceNode(doubt.imageId)));
  });
  serve(api, changeMapRoutes.depthNode, async ({ params }) => {
    const { depth } = await services.db.withClient((client) => requireMap(client, params.id));
    if (!depth) {
      throw notFound("depth of the change map");
    }
    return nodeView(await register(services, sourceNode(depth.imageId)));
  });
  serve(api, routes.values, values(services, find));
  api.get("/nodes/:hash/tiles/:level/:row/:col", sendTile(services, find));
}

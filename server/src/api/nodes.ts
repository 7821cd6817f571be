import { idOf } from "./http";
import { nodeRoutes as routes } from "@hindglance/contract/scenes";
import { serve } from "./serve";
import type { Router } from "express";
import type { NodeView } from "@hindglance/contract/nodes";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { nodeHash, type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";

import { BLOCK, levelCount, levelGrid, squareNorthUp } from "@hindglance/core/grid/grid";

import { LRUCache } from "lru-cache";
import { findChangeMap } from "../db/changeMaps";
import { type NodeRow, findNode, saveNode } from "../db/nodes";
import { findScene } from "../db/scenes";
import { AppError, notFound } from "../errors";
import { preparation } from "../products/preparation";
import type { Services } from "./services";
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

/** A node as it is looked at: power, and the square of amplitudes, in decibels. */
export function shown(whole: NodeSpec, info: NodeRow["info"]): NodeSpec {
  // Cells of sensor geometry that looks have made oblong are shown on square ones.
  const transform = info.grid.transform;
  const s = Math.min(transform[1], transform[5]);
  const oblong = isSensorFrame(info.grid.crs) && transform[1] !== transform[5];
  const n = oblong
    ? node(
        "grid.warp",
        {
          grid: {
            ...info.grid,
            transform: [transform[0], s, 0, transform[3], 0, s],
            width: Math.round((info.grid.width * transform[1]) / s),
            height: Math.round((info.grid.height * transform[5]) / s),
          },
          kernel: "bilinear",
        },
        whole,
      )
    : whole;
  if (info.bands.some((band) => band.role === "dn" && band.gain)) {
    return node("optical.reflectance", {}, n);
  }
  if (info.bands.every((band) => band.role === "amplitude")) {
    return node(
      "radar.decibel",
      {},
      node("radar.calibrate", { to: "none", removeNoise: false, polarisations: null }, n),
    );
  }
  return info.bands.some((band) => band.role === "power") ? node("radar.decibel", {}, n) : n;
}

/** Nodes that show a scene. */
export async function sceneNode(
  services: Services,
  sceneId: string,
  onMap = false,
): Promise<NodeRow> {
  const scene = await services.db.withClient((client) => findScene(client, sceneId));
  if (!scene) {
    throw notFound("scene");
  }
  if (!scene.imageId || !scene.info) {
    throw new AppError(409, "notReady", `${scene.name} is still being imported`, "scene");
  }
  if (isSensorFrame(scene.info.grid.crs) && onMap) {
    const chainResult = (
      await services.db.withClient((client) => preparation(client, scene.studyId, "radar"))
    ).nodes.get(sceneId);
    const row =
      chainResult && !chainResult.error ? await register(services, chainResult.result) : null;
    if (!row || isSensorFrame(row.info.grid.crs)) {
      throw new AppError(
        409,
        "notPrepared",
        `${scene.name} does not lie on the map`,
        "scene",
        "See Prepare.",
      );
    }
    return register(services, shown(row.spec, row.info));
  }
  if (isSensorFrame(scene.info.grid.crs)) {
    return register(services, shown(sourceNode(scene.imageId), scene.info));
  }
  // Maps are drawn north up on square cells; other grids are put on one first.
  const source = onGrid(sourceNode(scene.imageId), scene.info, squareNorthUp(scene.info.grid));
  return register(services, shown(source, scene.info));
}

/** Routes of images: what shows a scene or a map, values at a place, tiles. */
export function nodeRoutes(api: Router, services: Services): void {
  const { db, previews } = services;
  const known = new LRUCache<string, NodeRow>({ max: 500 });
  api.get("/scenes/:id/node", async (req, res) => {
    res.json(nodeView(await sceneNode(services, idOf(req), req.query.onMap === "1")));
  });
  api.get("/change-maps/:id/node", async (req, res) => {
    const changeMap = await db.withClient((client) => findChangeMap(client, idOf(req)));
    if (!changeMap) {
      throw notFound("change map");
    }
    res.json(nodeView(await register(services, sourceNode(changeMap.imageId))));
  });

  /** What nodes show at one place, band by band. */
  serve(api, routes.values, async ({ body }) => {
    const out = [];
    for (const hash of body.hashes) {
      const nodeRow = known.get(hash) ?? (await db.withClient((client) => findNode(client, hash)));
      if (!nodeRow) {
        throw notFound("image");
      }
      const values = isSensorFrame(nodeRow.info.grid.crs)
        ? null
        : (
            await previews.values({
              node: nodeRow.spec,
              places: [transformer(LONLAT, nodeRow.info.grid.crs)(body.place[0], body.place[1])],
              sizeCells: body.sizeCells,
            })
          )[0]!;
      out.push({
        hash,
        bands: nodeRow.info.bands.map((band, k) => ({
          name: band.name,
          nm: band.wavelengthNm ?? null,
          unit: band.unit,
          value: values?.[k] ?? null,
        })),
      });
    }
    return out;
  });

  /**
   * Cells of a tile: little-endian float32 (NaN = nodata) or uint8 labels (255 = nodata), band
   * after band, cut to the image.
   */
  api.get("/nodes/:hash/tiles/:level/:row/:col", async (req, res) => {
    const { hash, level, row, col } = req.params as Record<string, string>;
    if (!/^[0-9a-f]{32}$/.test(hash!)) {
      throw notFound("image");
    }
    const nodeRow = known.get(hash!) ?? (await db.withClient((client) => findNode(client, hash!)));
    if (!nodeRow) {
      throw notFound("image");
    }
    known.set(hash!, nodeRow);
    const [ownLevel, r, c] = [level, row, col].map((value) =>
      /^\d{1,6}$/.test(value!) ? Number(value) : NaN,
    ) as [number, number, number];
    const grid =
      ownLevel < levelCount(nodeRow.info.grid.width, nodeRow.info.grid.height)
        ? levelGrid(nodeRow.info.grid, ownLevel)
        : null;
    if (!grid || !(r * BLOCK < grid.height) || !(c * BLOCK < grid.width)) {
      throw notFound("tile");
    }
    const bands =
      req.query.bands === undefined ? null : String(req.query.bands).split(",").map(Number);
    if (
      bands &&
      bands.some((b) => !Number.isInteger(b) || b < 0 || b >= nodeRow.info.bands.length)
    ) {
      throw new AppError(
        422,
        "invalid",
        `bands must be numbers from 0 to ${nodeRow.info.bands.length - 1}`,
        "bands",
      );
    }
    const etag = `"${hash}-${ownLevel}-${r}-${c}-${bands?.join(".") ?? "all"}"`;
    res.set({ etag, "cache-control": "private, max-age=31536000, immutable" });
    if (req.headers["if-none-match"] === etag) {
      res.status(304).end();
      return;
    }
    const stop = new AbortController();
    res.once("close", () => {
      if (!res.writableEnded) {
        stop.abort();
      }
    });
    try {
      const tileResult = await previews.tile(
        { node: nodeRow.spec, level: ownLevel, row: r, col: c, bands },
        stop.signal,
      );
      res
        .set("content-type", "application/octet-stream")
        .send(
          Buffer.from(
            tileResult.bytes.buffer,
            tileResult.bytes.byteOffset,
            tileResult.bytes.byteLength,
          ),
        );
    } catch (error) {
      if (stop.signal.aborted) {
        return;
      }
      res.removeHeader("etag");
      res.removeHeader("cache-control");
      throw error;
    }
  });
}

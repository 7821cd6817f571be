import type { Router } from "express";
import * as yup from "yup";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { nodeHash, type NodeSpec } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { node, onGrid, sourceNode } from "@hindglance/core/change/setup";
import { BLOCK, levelCount, levelGrid, squareNorthUp } from "@hindglance/core/grid/grid";
import { isSensorFrame } from "@hindglance/core/radar/sensor";
import { LRUCache } from "lru-cache";
import { findChangeMap } from "../db/changeMaps";
import { type NodeRow, findNode, saveNode } from "../db/nodes";
import { findScene } from "../db/scenes";
import { AppError, notFound } from "../errors";
import { preparation } from "../products/prepare";
import { checked, idOf } from "./http";
import type { Services } from "./services";

const valuesSchema = yup
  .object({
    hashes: yup
      .array(
        yup
          .string()
          .matches(/^[0-9a-f]{32}$/)
          .required(),
      )
      .min(1)
      .max(8)
      .required(),
    place: yup.array(yup.number().required()).length(2).required(),
    sizeCells: yup.number().oneOf([1, 3, 5, 7, 9, 15]).default(1),
  })
  .noUnknown();

/** A node as the page gets it: its address, and what it needs to draw it. */
export interface NodeView {
  hash: string;
  info: NodeRow["info"];
  levels: number;
  block: number;
}
export const nodeView = (n: NodeRow): NodeView => ({
  hash: n.hash,
  info: n.info,
  levels: levelCount(n.info.grid.width, n.info.grid.height),
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
  await db.withClient((c) => saveNode(c, row));
  return row;
}

/** A node as it is looked at: power, and the square of amplitudes, in decibels. */
export function shown(whole: NodeSpec, info: NodeRow["info"]): NodeSpec {
  // Cells of sensor geometry that looks have made oblong are shown on square ones.
  const t = info.grid.transform;
  const s = Math.min(t[1], t[5]);
  const oblong = isSensorFrame(info.grid.crs) && t[1] !== t[5];
  const n = oblong
    ? node(
        "grid.warp",
        {
          grid: {
            ...info.grid,
            transform: [t[0], s, 0, t[3], 0, s],
            width: Math.round((info.grid.width * t[1]) / s),
            height: Math.round((info.grid.height * t[5]) / s),
          },
          kernel: "bilinear",
        },
        whole,
      )
    : whole;
  if (info.bands.some((b) => b.role === "dn" && b.gain)) {
    return node("optical.reflectance", {}, n);
  }
  if (info.bands.every((b) => b.role === "amplitude")) {
    return node(
      "radar.decibel",
      {},
      node("radar.calibrate", { to: "none", removeNoise: false, polarisations: null }, n),
    );
  }
  return info.bands.some((b) => b.role === "power") ? node("radar.decibel", {}, n) : n;
}

/** Nodes that show a scene. */
export async function sceneNode(s: Services, sceneId: string, onMap = false): Promise<NodeRow> {
  const scene = await s.db.withClient((c) => findScene(c, sceneId));
  if (!scene) {
    throw notFound("scene");
  }
  if (!scene.imageId || !scene.info) {
    throw new AppError(409, "notReady", `${scene.name} is still being imported`, "scene");
  }
  if (isSensorFrame(scene.info.grid.crs) && onMap) {
    const n = (await s.db.withClient((c) => preparation(c, scene.studyId, "radar"))).nodes.get(
      sceneId,
    );
    const row = n && !n.error ? await register(s, n.result) : null;
    if (!row || isSensorFrame(row.info.grid.crs)) {
      throw new AppError(
        409,
        "notPrepared",
        `${scene.name} does not lie on the map`,
        "scene",
        "See Prepare.",
      );
    }
    return register(s, shown(row.spec, row.info));
  }
  if (isSensorFrame(scene.info.grid.crs)) {
    return register(s, shown(sourceNode(scene.imageId), scene.info));
  }
  // Maps are drawn north up on square cells; other grids are put on one first.
  const source = onGrid(sourceNode(scene.imageId), scene.info, squareNorthUp(scene.info.grid));
  return register(s, shown(source, scene.info));
}

export function nodeRoutes(api: Router, s: Services): void {
  const { db, previews } = s;
  const known = new LRUCache<string, NodeRow>({ max: 500 });
  api.get("/scenes/:id/node", async (req, res) => {
    res.json(nodeView(await sceneNode(s, idOf(req), req.query.onMap === "1")));
  });
  api.get("/change-maps/:id/node", async (req, res) => {
    const m = await db.withClient((c) => findChangeMap(c, idOf(req)));
    if (!m) {
      throw notFound("change map");
    }
    res.json(nodeView(await register(s, sourceNode(m.imageId))));
  });

  /** What nodes show at one place, band by band. */
  api.post("/nodes/values", async (req, res) => {
    const b = checked(valuesSchema, req.body, "body");
    const out = [];
    for (const hash of b.hashes) {
      const n = known.get(hash) ?? (await db.withClient((c) => findNode(c, hash)));
      if (!n) {
        throw notFound("image");
      }
      const values = isSensorFrame(n.info.grid.crs)
        ? null
        : (
            await previews.values({
              node: n.spec,
              places: [transformer(LONLAT, n.info.grid.crs)(b.place[0]!, b.place[1]!)],
              sizeCells: b.sizeCells,
            })
          )[0]!;
      out.push({
        hash,
        bands: n.info.bands.map((x, k) => ({
          name: x.name,
          nm: x.wavelengthNm ?? null,
          unit: x.unit,
          value: values?.[k] ?? null,
        })),
      });
    }
    res.json(out);
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
    const n = known.get(hash!) ?? (await db.withClient((c) => findNode(c, hash!)));
    if (!n) {
      throw notFound("image");
    }
    known.set(hash!, n);
    const [l, r, c] = [level, row, col].map((v) => (/^\d{1,6}$/.test(v!) ? Number(v) : NaN)) as [
      number,
      number,
      number,
    ];
    const g =
      l < levelCount(n.info.grid.width, n.info.grid.height) ? levelGrid(n.info.grid, l) : null;
    if (!g || !(r * BLOCK < g.height) || !(c * BLOCK < g.width)) {
      throw notFound("tile");
    }
    const bands =
      req.query.bands === undefined ? null : String(req.query.bands).split(",").map(Number);
    if (bands && bands.some((b) => !Number.isInteger(b) || b < 0 || b >= n.info.bands.length)) {
      throw new AppError(
        422,
        "invalid",
        `bands must be numbers from 0 to ${n.info.bands.length - 1}`,
        "bands",
      );
    }
    const etag = `"${hash}-${l}-${r}-${c}-${bands?.join(".") ?? "all"}"`;
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
      const t = await previews.tile({ node: n.spec, level: l, row: r, col: c, bands }, stop.signal);
      res
        .set("content-type", "application/octet-stream")
        .send(Buffer.from(t.bytes.buffer, t.bytes.byteOffset, t.bytes.byteLength));
    } catch (e) {
      if (stop.signal.aborted) {
        return;
      }
      res.removeHeader("etag");
      res.removeHeader("cache-control");
      throw e;
    }
  });
}

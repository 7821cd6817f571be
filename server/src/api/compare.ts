import { createHash, randomUUID } from "node:crypto";
import type { Router } from "express";
import { LRUCache } from "lru-cache";
import * as yup from "yup";
import { InputError } from "@hindglance/core/errors";
import { comparisonWarnings } from "@hindglance/core/chain/comparable";
import { buildChange, stagesNode } from "@hindglance/core/change/build";
import type { GroupFacts } from "../preview/groupTasks";
import {
  type ChangeNodes,
  type ChangeSetup,
  areaOnGrid,
  changeSetupSchema,
  onGrid,
} from "@hindglance/core/change/setup";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import { type NodeSpec, nodeHash, walk } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { levelCount, sameGrid } from "@hindglance/core/grid/grid";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { PreparedSide, Provenance, SceneRecord } from "../db/changeMaps";
import { createImage, findImage } from "../db/images";
import type { Client } from "../db/pool";
import { findKept } from "../db/products";
import { findTally } from "../db/nodes";
import { type Scene, listScenes, listZones } from "../db/scenes";
import type { Study } from "../db/studies";
import { AppError, notFound } from "../errors";
import type { RadarChain } from "@hindglance/core/chain/radarChain";
import { type Preparation, chainOfScene, settingsAt } from "../products/prepare";
import type { ReadyScene } from "../products/families";
import { cloudSide, isDate, sideNode, studySides } from "../products/sides";
import type { Alignment } from "@hindglance/core/align/alignment";
import type { HistogramResult } from "../preview/service";
import type { ZonePolygons } from "../runs/mapPhases";
import { checked, idOf } from "./http";
import { nodeView, register } from "./nodes";
import type { Services } from "./services";

const pairSchema = yup
  .object({
    beforeId: yup.string().uuid().required(),
    afterId: yup.string().uuid().required(),
    setup: changeSetupSchema.required(),
  })
  .noUnknown();
const mapSchema = pairSchema.shape({ name: yup.string().trim().min(1).max(120) }).noUnknown();
export const PROGRAM = "Hind Glance 0.1.0";
/** Cells that a histogram looks at, at the most. */
const SAMPLE_CELLS = 4e6;

type Side = Scene & {
  info: ImageInfo;
  imageId: string;
  node: NodeSpec;
  align: Alignment | null;
  prepared: PreparedSide | null;
};
interface Comparison {
  study: Study;
  before: Side;
  after: Side;
  elevation: (Scene & { info: ImageInfo; imageId: string }) | null;
  setup: ChangeSetup;
  nodes: ChangeNodes;
  warnings: string[];
}

/**
 * Equivalent looks of what the chain gives: measured on the kept result where there is one, else
 * those of the product times the looks it takes.
 */
async function preparedLooks(
  c: Client,
  chain: Preparation | undefined,
): Promise<Map<string, number>> {
  const out = new Map<string, number>();
  if (!chain) {
    return out;
  }
  const nodes = [...chain.nodes].map(([id, n]) => ({ id, hash: nodeHash(n.result, versionOf) }));
  const kept = await findKept(
    c,
    nodes.map((n) => n.hash),
  );
  for (const { id, hash } of nodes) {
    const image = kept.get(hash);
    const measured = image ? (await findImage(c, image))?.looks?.find((v) => v !== null) : null;
    const s = chain.scenes.find((x) => x.id === id)!;
    const { looks } = settingsAt(chain, id) as unknown as RadarChain;
    const own = s.looks?.find((v) => v !== null) ?? null;
    if (measured != null) {
      out.set(id, measured);
    } else if (own !== null) {
      out.set(id, own * (looks.on ? looks.rangeLooks * looks.azimuthLooks : 1));
    }
  }
  return out;
}

async function comparison(
  { db, sources }: Services,
  studyId: string,
  b: { beforeId: string; afterId: string; setup: unknown },
): Promise<Comparison> {
  const setup = b.setup as ChangeSetup;
  const all = await db.withClient((c) => studySides(c, studyId));
  const { study, scenes } = all;
  const side = async (id: string, field: string): Promise<Side> => {
    const s = scenes.find((x) => x.id === id);
    if (!s) {
      throw new AppError(422, "invalid", "This scene is not in the study", field);
    }
    if (!s.imageId || !s.info) {
      throw new AppError(409, "notReady", `${s.name} is still being imported`, field);
    }
    try {
      const { node: n, info } = await sideNode(sources, all, s as ReadyScene);
      const chain = chainOfScene(all.chains, id);
      const o = chain?.orbits.get(id);
      const c = chain ? settingsAt(chain, id) : null;
      return {
        ...(s as ReadyScene),
        node: n,
        info,
        align: all.align[id] ?? null,
        prepared: c
          ? {
              chain: c,
              orbit:
                o && c.orbit?.on ? { file: o.fileName, sha256: o.fileSha256, kind: o.kind } : null,
            }
          : null,
      };
    } catch (e) {
      if (e instanceof InputError) {
        throw new AppError(409, "notPrepared", `${s.name}: ${e.message}`, field, e.hint);
      }
      throw e;
    }
  };
  const [before, after] = await Promise.all([
    side(b.beforeId, "beforeId"),
    side(b.afterId, "afterId"),
  ]);
  if (before.id === after.id) {
    throw new AppError(
      422,
      "invalid",
      "Before and after are the same scene",
      "afterId",
      "Pick two scenes on the time strip.",
    );
  }
  if (before.acquiredAt && after.acquiredAt && before.acquiredAt >= after.acquiredAt) {
    throw new AppError(
      422,
      "invalid",
      "The before scene must be earlier than the after scene",
      "beforeId",
      "Swap the two handles on the time strip.",
    );
  }
  const elevation =
    (scenes.find((s) => s.kind === "elevation" && s.imageId && s.info) as
      Comparison["elevation"] | undefined) ?? null;
  const cloud = async (x: Side) => (setup.limits.cloud ? cloudSide(sources, all, x) : null);
  // Only the dates that a limit asks for are put together; one that is gone or not ready is named
  // by the limit.
  const others: Record<string, { node: NodeSpec; info: ImageInfo }> = {};
  for (const id of setup.limits.standing?.sceneIds ?? []) {
    const x = scenes.find((k) => k.id === id);
    if (x && isDate(x)) {
      try {
        others[id] = await sideNode(sources, all, x);
      } catch (e) {
        if (!(e instanceof InputError)) {
          throw e;
        }
      }
    }
  }
  const nodes = buildChange(
    {
      before: { node: before.node, info: before.info, cloud: await cloud(before) },
      after: { node: after.node, info: after.info, cloud: await cloud(after) },
      others,
      elevation: elevation ? { id: elevation.imageId, info: elevation.info } : null,
      cover: coverOf(scenes, setup.coverId),
      studyArea: study.studyArea ? multiPolygonFrom(study.studyArea) : null,
    },
    setup,
  );
  return {
    study,
    before,
    after,
    elevation,
    setup,
    nodes,
    warnings: warningsOf(study, before, after, setup.band),
  };
}

/** The classified raster of a study that rules look at. */
function coverOf(
  scenes: readonly Scene[],
  id: string | null | undefined,
): { id: string; info: ImageInfo } | null {
  const s = id ? scenes.find((x) => x.id === id) : null;
  return s?.imageId && s.info?.type === "class8" ? { id: s.imageId, info: s.info } : null;
}

/**
 * Ends of the histograms of before, after and measure: decibels have their usual ones, other values
 * those that a sample shows.
 */
async function rangesOf(
  { previews, sources }: Services,
  n: ChangeNodes,
): Promise<[number, number][]> {
  const info = await new Evaluator({ sources }).info(n.before);
  const measured = (await new Evaluator({ sources }).info(n.measure)).bands[0]!;
  const decibel = info.bands[0]!.role === "decibel";
  if (decibel && measured.unit === "dB") {
    return [[-40, 10], [-40, 10], n.measure.step === "change.vector" ? [0, 30] : [-25, 25]];
  }
  const ends = (
    await Promise.all(
      [n.before, n.after, n.measure].map((node) => previews.field({ node, window: null, band: 0 })),
    )
  ).map((f) => f.histogram);
  const lo = Math.min(ends[0]!.min, ends[1]!.min);
  const hi = Math.max(ends[0]!.max, ends[1]!.max);
  const room = 0.25 * (hi - lo);
  const far = 1.3 * Math.max(Math.abs(ends[2]!.min), Math.abs(ends[2]!.max), (hi - lo) / 4);
  const own =
    n.measure.step === "change.noChange"
      ? [0, 100]
      : n.measure.step === "change.direction"
        ? [0, 360]
        : n.measure.step === "change.vector"
          ? [0, far]
          : [-far, far];
  return [
    ...(decibel
      ? [
          [-40, 10],
          [-40, 10],
        ]
      : [
          [lo - room, hi + room],
          [lo - room, hi + room],
        ]),
    own,
  ] as [number, number][];
}

/** Plain warnings about a pair that may not be comparable. */
function warningsOf(
  study: Study,
  before: Comparison["before"],
  after: Comparison["after"],
  band: number,
): string[] {
  const out = comparisonWarnings(
    comparableSide(before, before.info.bands[band]?.name),
    comparableSide(after, before.info.bands[band]?.name),
  );
  const event = study.eventAt ? Date.parse(study.eventAt) : null;
  if (
    before.acquiredAt &&
    after.acquiredAt &&
    event !== null &&
    !(Date.parse(before.acquiredAt) < event && event < Date.parse(after.acquiredAt))
  ) {
    out.push("The event does not lie between the two dates.");
  }
  if (!sameGrid(before.info.grid, after.info.grid)) {
    out.push(
      "The two scenes lie on different grids: after is put on the grid of before (bilinear).",
    );
  }
  return out;
}
/**
 * A side with what its own numbers are; means are of images that are compared as they are stored.
 */
const comparableSide = (s: Side, band: string | undefined) => {
  const stored = s.node.step === "source";
  const k = stored
    ? Math.max(
        0,
        s.info.bands.findIndex((b) => b.name === band),
      )
    : -1;
  return {
    ...comparableOf(s),
    radiometry: s.info.radiometry ?? null,
    level: s.info.optical ? (surfaced(s.node) ? 2 : s.info.optical.level) : null,
    mean: stored && s.statistics?.[k]?.valid ? s.statistics[k].sum / s.statistics[k].valid : null,
  };
};
const surfaced = (n: NodeSpec): boolean => {
  let found = false;
  walk(n, (x) => {
    if (x.step === "optical.surface") {
      found = true;
    }
  });
  return found;
};
const comparableOf = (s: Scene) => ({
  acquiredAt: s.acquiredAt,
  pass:
    (s.detail.pass as string | undefined) ??
    ((s.detail.items ?? {}) as Record<string, string>).PASS ??
    null,
  incidenceDeg: (s.detail.incidenceDeg as [number, number] | null | undefined) ?? null,
});

/** All stages of a map and what is known of them, for runs. */
async function staged(
  { sources }: Services,
  n: ChangeNodes,
): Promise<{ node: NodeSpec; info: ImageInfo }> {
  const spec = stagesNode(n);
  return { node: spec, info: await new Evaluator({ sources }).info(spec) };
}

const record = (s: Scene, band?: string): SceneRecord => ({
  name: s.name,
  file: s.fileName,
  sha256: s.fileSha256,
  acquiredAt: s.acquiredAt ? new Date(s.acquiredAt).toISOString() : null,
  size: s.fileSize,
  ...(band ? { band } : {}),
});

export function compareRoutes(api: Router, s: Services): void {
  const { db, previews, engine } = s;
  const histograms = new LRUCache<string, Promise<HistogramResult>>({ max: 60 });
  const groupFacts = new LRUCache<string, Promise<GroupFacts>>({ max: 60 });

  /**
   * What each radar scene is compared as: a calibrated image as it is, a product as its chain makes
   * it.
   */
  api.get("/studies/:id/compare/sides", async (req, res) => {
    const all = await db.withClient((c) => studySides(c, idOf(req)));
    const sides = [];
    const looksOf = await db.withClient((c) =>
      preparedLooks(
        c,
        all.chains.find((x) => x.family === "radar"),
      ),
    );
    for (const x of all.scenes.filter(isDate)) {
      const family = chainOfScene(all.chains, x.id)?.family ?? null;
      try {
        const { node: n, info } = await sideNode(s.sources, all, x);
        sides.push({
          sceneId: x.id,
          family,
          node: n,
          hash: nodeHash(n, versionOf),
          info,
          cloud: await cloudSide(s.sources, all, x),
          looks: looksOf.get(x.id) ?? x.looks?.find((v) => v !== null) ?? null,
          problem: null,
        });
      } catch (e) {
        if (!(e instanceof InputError)) {
          throw e;
        }
        sides.push({
          sceneId: x.id,
          family,
          node: null,
          hash: null,
          info: null,
          cloud: null,
          looks: null,
          problem: e.message,
        });
      }
    }
    res.json(sides);
  });

  /** Addresses of everything that a comparison shows. */
  api.post("/studies/:id/compare/nodes", async (req, res) => {
    const c = await comparison(s, idOf(req), checked(pairSchema, req.body, "body"));
    const n = c.nodes;
    const [before, after, stack, gated, classes] = await Promise.all(
      [n.before, n.after, n.stack, n.gated, n.classes].map((x) => register(s, x)),
    );
    const whole = (side: Side) => register(s, onGrid(side.node, side.info, gated!.info.grid));
    const pictures =
      c.before.info.bands.some((b) => b.role === "reflectance") &&
      c.after.info.bands.some((b) => b.role === "reflectance")
        ? { before: nodeView(await whole(c.before)), after: nodeView(await whole(c.after)) }
        : null;
    const groups = n.groups ? { groups: nodeView(await register(s, n.groups.groups)) } : null;
    res.json({
      groups,
      pictures,
      before: nodeView(before!),
      after: nodeView(after!),
      stack: nodeView(stack!),
      gated: nodeView(gated!),
      classes: nodeView(classes!),
      warnings: c.warnings,
    });
  });

  /** Histograms of before, after and measure inside the study area where both dates are seen. */
  api.post("/studies/:id/compare/histograms", async (req, res) => {
    const { nodes } = await comparison(s, idOf(req), checked(pairSchema, req.body, "body"));
    const key = nodeHash(nodes.gated, versionOf);
    let p = histograms.get(key);
    if (!p) {
      p = rangesOf(s, nodes).then((ranges) =>
        previews.histograms({ node: nodes.gated, ranges, bins: 500, maxCells: SAMPLE_CELLS }),
      );
      histograms.set(key, p);
      p.catch(() => histograms.delete(key));
    }
    const h = await p;
    res.json({
      before: h.histograms[0],
      after: h.histograms[1],
      measure: h.histograms[2],
      tiles: { before: h.tiles[0], after: h.tiles[1], measure: h.tiles[2] },
      cells: h.cells,
      sampled: h.cellsOfImage > SAMPLE_CELLS,
    });
  });

  /** Groups of a comparison: how large, and what they look like on both dates. */
  api.post("/studies/:id/compare/groups", async (req, res) => {
    const {
      nodes: { groups },
    } = await comparison(s, idOf(req), checked(pairSchema, req.body, "body"));
    if (!groups) {
      throw new AppError(422, "invalid", "This comparison has no groups", "setup.groups");
    }
    const key = nodeHash(groups.groups, versionOf) + nodeHash(groups.before, versionOf);
    let p = groupFacts.get(key);
    if (!p) {
      p = previews.groups(groups);
      groupFacts.set(key, p);
      p.catch(() => groupFacts.delete(key));
    }
    res.json(await p);
  });

  /** Exact areas by class: at once when they are known, else as a run. */
  api.post("/studies/:id/compare/areas", async (req, res) => {
    const c = await comparison(s, idOf(req), checked(pairSchema, req.body, "body"));
    const n = await register(s, c.nodes.classes);
    const known = await db.withClient((x) => findTally(x, n.hash));
    if (known) {
      res.json({ tally: known, hash: n.hash });
      return;
    }
    const params = { key: n.hash, ...(await staged(s, c.nodes)) };
    const runId = await db.withTransaction((x) =>
      engine.submit(x, {
        studyId: c.study.id,
        kind: "measureAreas",
        title: "Measure areas",
        params,
      }),
    );
    res.status(202).json({ runId, hash: n.hash });
  });
  api.get("/tallies/:hash", async (req, res) => {
    const t = await db.withClient((c) => findTally(c, String(req.params.hash)));
    if (!t) {
      throw notFound("tally");
    }
    res.json({ tally: t, hash: req.params.hash });
  });

  api.post("/studies/:id/change-maps", async (req, res) => {
    const b = checked(mapSchema, req.body, "body");
    const c = await comparison(s, idOf(req), b);
    const n = await register(s, c.nodes.classes);
    const zone = (await db.withClient((x) => listZones(x, c.study.id)))[0] ?? null;
    const names = zone
      ? zone.features.features.map((f) => String(f.properties[zone.nameField]))
      : [];
    const zones: ZonePolygons = zone
      ? zone.features.features.map((f, i) => ({
          name: names[i]!,
          polygons: areaOnGrid(multiPolygonFrom(f.geometry), n.info.grid),
        }))
      : [];
    const g = n.info.grid;
    const name =
      b.name ??
      `${c.study.name}, ${(c.after.acquiredAt ? new Date(c.after.acquiredAt) : new Date()).toISOString().slice(0, 10)}`;
    const band = c.before.info.bands[c.setup.band]!;
    const cover = c.nodes.layers.some((l) => l.name === "cover")
      ? ((await db.withClient((x) => listScenes(x, c.study.id))).find(
          (x) => x.id === c.setup.coverId,
        ) ?? null)
      : null;
    const provenance: Provenance = {
      study: c.study.name,
      event: c.study.eventAt ? new Date(c.study.eventAt).toISOString() : null,
      program: PROGRAM,
      writtenAt: new Date().toISOString(),
      nodeHash: n.hash,
      ...(cover ? { cover: record(cover) } : {}),
      scenes: { beforeId: c.before.id, afterId: c.after.id },
      before: record(c.before, band.name),
      after: record(c.after, band.name),
      elevation: c.elevation && c.nodes.slope ? record(c.elevation) : null,
      zones: zone ? { name: zone.name, file: zone.fileName, sha256: zone.fileSha256, names } : null,
      studyAreaSha256: c.study.studyArea
        ? createHash("sha256").update(JSON.stringify(c.study.studyArea)).digest("hex")
        : null,
      ...(c.before.prepared || c.after.prepared
        ? { prepared: { before: c.before.prepared, after: c.after.prepared } }
        : {}),
      ...(c.before.align || c.after.align
        ? { aligned: { before: c.before.align, after: c.after.align } }
        : {}),
      unit: n.spec.step && c.nodes.before.step === "radar.decibel" ? "dB" : band.unit,
      grid: `${g.crs.code}, ${Math.abs(g.transform[1])} x ${Math.abs(g.transform[5])} cells, ${g.width} x ${g.height}, first corner ${g.transform[0]}, ${g.transform[3]}`,
      setup: c.setup,
    };
    const stages = await staged(s, c.nodes);
    const runId = await db.withTransaction(async (x) => {
      const imageId = await createImage(x, n.info, levelCount(g.width, g.height));
      return engine.submit(x, {
        studyId: c.study.id,
        kind: "writeChangeMap",
        title: `Write ${name}`,
        params: {
          changeMapId: randomUUID(),
          imageId,
          name,
          node: stages.node,
          stages: stages.info,
          info: n.info,
          gated: c.nodes.gated,
          nodeHash: n.hash,
          setup: c.setup,
          zones,
          provenance,
        },
      });
    });
    res.status(202).json({ runId });
  });
}

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
  client: Client,
  chain: Preparation | undefined,
): Promise<Map<string, number>> {
  const out = new Map<string, number>();
  if (!chain) {
    return out;
  }
  const nodes = [...chain.nodes].map(([id, chainResult]) => ({
    id,
    hash: nodeHash(chainResult.result, versionOf),
  }));
  const kept = await findKept(
    client,
    nodes.map((node) => node.hash),
  );
  for (const { id, hash } of nodes) {
    const image = kept.get(hash);
    const measured = image
      ? (await findImage(client, image))?.looks?.find((value) => value !== null)
      : null;
    const readyScene = chain.scenes.find((scene) => scene.id === id)!;
    const { looks } = settingsAt(chain, id) as unknown as RadarChain;
    const own = readyScene.looks?.find((value) => value !== null) ?? null;
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
  const all = await db.withClient((client) => studySides(client, studyId));
  const { study, scenes } = all;
  const side = async (id: string, field: string): Promise<Side> => {
    const scene = scenes.find((x) => x.id === id);
    if (!scene) {
      throw new AppError(422, "invalid", "This scene is not in the study", field);
    }
    if (!scene.imageId || !scene.info) {
      throw new AppError(409, "notReady", `${scene.name} is still being imported`, field);
    }
    try {
      const { node, info } = await sideNode(sources, all, scene as ReadyScene);
      const chain = chainOfScene(all.chains, id);
      const orbit = chain?.orbits.get(id);
      const c = chain ? settingsAt(chain, id) : null;
      return {
        ...(scene as ReadyScene),
        node,
        info,
        align: all.align[id] ?? null,
        prepared: c
          ? {
              chain: c,
              orbit:
                orbit && c.orbit?.on
                  ? { file: orbit.fileName, sha256: orbit.fileSha256, kind: orbit.kind }
                  : null,
            }
          : null,
      };
    } catch (error) {
      if (error instanceof InputError) {
        throw new AppError(
          409,
          "notPrepared",
          `${scene.name}: ${error.message}`,
          field,
          error.hint,
        );
      }
      throw error;
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
    (scenes.find((scene) => scene.kind === "elevation" && scene.imageId && scene.info) as
      Comparison["elevation"] | undefined) ?? null;
  const cloud = async (x: Side) => (setup.limits.cloud ? cloudSide(sources, all, x) : null);
  // Only the dates that a limit asks for are put together; one that is gone or not ready is named
  // by the limit.
  const others: Record<string, { node: NodeSpec; info: ImageInfo }> = {};
  for (const id of setup.limits.standing?.sceneIds ?? []) {
    const scene = scenes.find((k) => k.id === id);
    if (scene && isDate(scene)) {
      try {
        others[id] = await sideNode(sources, all, scene);
      } catch (error) {
        if (!(error instanceof InputError)) {
          throw error;
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
  const scene = id ? scenes.find((x) => x.id === id) : null;
  return scene?.imageId && scene.info?.type === "class8"
    ? { id: scene.imageId, info: scene.info }
    : null;
}

/**
 * Ends of the histograms of before, after and measure: decibels have their usual ones, other values
 * those that a sample shows.
 */
async function rangesOf(
  { previews, sources }: Services,
  changeNodes: ChangeNodes,
): Promise<[number, number][]> {
  const info = await new Evaluator({ sources }).info(changeNodes.before);
  const measured = (await new Evaluator({ sources }).info(changeNodes.measure)).bands[0]!;
  const decibel = info.bands[0]!.role === "decibel";
  if (decibel && measured.unit === "dB") {
    return [
      [-40, 10],
      [-40, 10],
      changeNodes.measure.step === "change.vector" ? [0, 30] : [-25, 25],
    ];
  }
  const ends = (
    await Promise.all(
      [changeNodes.before, changeNodes.after, changeNodes.measure].map((node) =>
        previews.field({ node, window: null, band: 0 }),
      ),
    )
  ).map((fieldResult) => fieldResult.histogram);
  const lo = Math.min(ends[0]!.min, ends[1]!.min);
  const hi = Math.max(ends[0]!.max, ends[1]!.max);
  const room = 0.25 * (hi - lo);
  const far = 1.3 * Math.max(Math.abs(ends[2]!.min), Math.abs(ends[2]!.max), (hi - lo) / 4);
  let own: number[];
  if (changeNodes.measure.step === "change.noChange") {
    own = [0, 100];
  } else if (changeNodes.measure.step === "change.direction") {
    own = [0, 360];
  } else if (changeNodes.measure.step === "change.vector") {
    own = [0, far];
  } else {
    own = [-far, far];
  }
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
const comparableSide = (side: Side, band: string | undefined) => {
  const stored = side.node.step === "source";
  const k = stored
    ? Math.max(
        0,
        side.info.bands.findIndex((b) => b.name === band),
      )
    : -1;
  return {
    ...comparableOf(side),
    radiometry: side.info.radiometry ?? null,
    level: side.info.optical ? (surfaced(side.node) ? 2 : side.info.optical.level) : null,
    mean:
      stored && side.statistics?.[k]?.valid
        ? side.statistics[k].sum / side.statistics[k].valid
        : null,
  };
};
const surfaced = (node: NodeSpec): boolean => {
  let found = false;
  walk(node, (x) => {
    if (x.step === "optical.surface") {
      found = true;
    }
  });
  return found;
};
const comparableOf = (scene: Scene) => ({
  acquiredAt: scene.acquiredAt,
  pass:
    (scene.detail.pass as string | undefined) ??
    ((scene.detail.items ?? {}) as Record<string, string>).PASS ??
    null,
  incidenceDeg: (scene.detail.incidenceDeg as [number, number] | null | undefined) ?? null,
});

/** All stages of a map and what is known of them, for runs. */
async function staged(
  { sources }: Services,
  changeNodes: ChangeNodes,
): Promise<{ node: NodeSpec; info: ImageInfo }> {
  const spec = stagesNode(changeNodes);
  return { node: spec, info: await new Evaluator({ sources }).info(spec) };
}

const record = (scene: Scene, band?: string): SceneRecord => ({
  name: scene.name,
  file: scene.fileName,
  sha256: scene.fileSha256,
  acquiredAt: scene.acquiredAt ? new Date(scene.acquiredAt).toISOString() : null,
  size: scene.fileSize,
  ...(band ? { band } : {}),
});

export function compareRoutes(api: Router, services: Services): void {
  const { db, previews, engine } = services;
  const histograms = new LRUCache<string, Promise<HistogramResult>>({ max: 60 });
  const groupFacts = new LRUCache<string, Promise<GroupFacts>>({ max: 60 });

  /**
   * What each radar scene is compared as: a calibrated image as it is, a product as its chain makes
   * it.
   */
  api.get("/studies/:id/compare/sides", async (req, res) => {
    const all = await db.withClient((client) => studySides(client, idOf(req)));
    const sides = [];
    const looksOf = await db.withClient((client) =>
      preparedLooks(
        client,
        all.chains.find((chain) => chain.family === "radar"),
      ),
    );
    for (const scene of all.scenes.filter(isDate)) {
      const family = chainOfScene(all.chains, scene.id)?.family ?? null;
      try {
        const { node, info } = await sideNode(services.sources, all, scene);
        sides.push({
          sceneId: scene.id,
          family,
          node,
          hash: nodeHash(node, versionOf),
          info,
          cloud: await cloudSide(services.sources, all, scene),
          looks: looksOf.get(scene.id) ?? scene.looks?.find((value) => value !== null) ?? null,
          problem: null,
        });
      } catch (error) {
        if (!(error instanceof InputError)) {
          throw error;
        }
        sides.push({
          sceneId: scene.id,
          family,
          node: null,
          hash: null,
          info: null,
          cloud: null,
          looks: null,
          problem: error.message,
        });
      }
    }
    res.json(sides);
  });

  /** Addresses of everything that a comparison shows. */
  api.post("/studies/:id/compare/nodes", async (req, res) => {
    const c = await comparison(services, idOf(req), checked(pairSchema, req.body, "body"));
    const changeNodes = c.nodes;
    const [before, after, stack, gated, classes] = await Promise.all(
      [
        changeNodes.before,
        changeNodes.after,
        changeNodes.stack,
        changeNodes.gated,
        changeNodes.classes,
      ].map((node) => register(services, node)),
    );
    const whole = (side: Side) =>
      register(services, onGrid(side.node, side.info, gated!.info.grid));
    const pictures =
      c.before.info.bands.some((band) => band.role === "reflectance") &&
      c.after.info.bands.some((band) => band.role === "reflectance")
        ? { before: nodeView(await whole(c.before)), after: nodeView(await whole(c.after)) }
        : null;
    const groups = changeNodes.groups
      ? { groups: nodeView(await register(services, changeNodes.groups.groups)) }
      : null;
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
    const { nodes } = await comparison(services, idOf(req), checked(pairSchema, req.body, "body"));
    const key = nodeHash(nodes.gated, versionOf);
    let ownPending = histograms.get(key);
    if (!ownPending) {
      ownPending = rangesOf(services, nodes).then((ranges) =>
        previews.histograms({ node: nodes.gated, ranges, bins: 500, maxCells: SAMPLE_CELLS }),
      );
      histograms.set(key, ownPending);
      ownPending.catch(() => histograms.delete(key));
    }
    const histogramResult = await ownPending;
    res.json({
      before: histogramResult.histograms[0],
      after: histogramResult.histograms[1],
      measure: histogramResult.histograms[2],
      tiles: {
        before: histogramResult.tiles[0],
        after: histogramResult.tiles[1],
        measure: histogramResult.tiles[2],
      },
      cells: histogramResult.cells,
      sampled: histogramResult.cellsOfImage > SAMPLE_CELLS,
    });
  });

  /** Groups of a comparison: how large, and what they look like on both dates. */
  api.post("/studies/:id/compare/groups", async (req, res) => {
    const {
      nodes: { groups },
    } = await comparison(services, idOf(req), checked(pairSchema, req.body, "body"));
    if (!groups) {
      throw new AppError(422, "invalid", "This comparison has no groups", "setup.groups");
    }
    const key = nodeHash(groups.groups, versionOf) + nodeHash(groups.before, versionOf);
    let promised = groupFacts.get(key);
    if (!promised) {
      promised = previews.groups(groups);
      groupFacts.set(key, promised);
      promised.catch(() => groupFacts.delete(key));
    }
    res.json(await promised);
  });

  /** Exact areas by class: at once when they are known, else as a run. */
  api.post("/studies/:id/compare/areas", async (req, res) => {
    const c = await comparison(services, idOf(req), checked(pairSchema, req.body, "body"));
    const nodeRow = await register(services, c.nodes.classes);
    const known = await db.withClient((client) => findTally(client, nodeRow.hash));
    if (known) {
      res.json({ tally: known, hash: nodeRow.hash });
      return;
    }
    const params = { key: nodeRow.hash, ...(await staged(services, c.nodes)) };
    const runId = await db.withTransaction((client) =>
      engine.submit(client, {
        studyId: c.study.id,
        kind: "measureAreas",
        title: "Measure areas",
        params,
      }),
    );
    res.status(202).json({ runId, hash: nodeRow.hash });
  });
  api.get("/tallies/:hash", async (req, res) => {
    const tally = await db.withClient((client) => findTally(client, String(req.params.hash)));
    if (!tally) {
      throw notFound("tally");
    }
    res.json({ tally, hash: req.params.hash });
  });

  api.post("/studies/:id/change-maps", async (req, res) => {
    const b = checked(mapSchema, req.body, "body");
    const c = await comparison(services, idOf(req), b);
    const nodeRow = await register(services, c.nodes.classes);
    const zone = (await db.withClient((client) => listZones(client, c.study.id)))[0] ?? null;
    const names = zone
      ? zone.features.features.map((feature) => String(feature.properties[zone.nameField]))
      : [];
    const zones: ZonePolygons = zone
      ? zone.features.features.map((feature, i) => ({
          name: names[i]!,
          polygons: areaOnGrid(multiPolygonFrom(feature.geometry), nodeRow.info.grid),
        }))
      : [];
    const grid = nodeRow.info.grid;
    const name =
      b.name ??
      `${c.study.name}, ${(c.after.acquiredAt ? new Date(c.after.acquiredAt) : new Date()).toISOString().slice(0, 10)}`;
    const band = c.before.info.bands[c.setup.band]!;
    const cover = c.nodes.layers.some((layer) => layer.name === "cover")
      ? ((await db.withClient((client) => listScenes(client, c.study.id))).find(
          (scene) => scene.id === c.setup.coverId,
        ) ?? null)
      : null;
    const provenance: Provenance = {
      study: c.study.name,
      event: c.study.eventAt ? new Date(c.study.eventAt).toISOString() : null,
      program: PROGRAM,
      writtenAt: new Date().toISOString(),
      nodeHash: nodeRow.hash,
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
      unit: nodeRow.spec.step && c.nodes.before.step === "radar.decibel" ? "dB" : band.unit,
      grid: `${grid.crs.code}, ${Math.abs(grid.transform[1])} x ${Math.abs(grid.transform[5])} cells, ${grid.width} x ${grid.height}, first corner ${grid.transform[0]}, ${grid.transform[3]}`,
      setup: c.setup,
    };
    const stages = await staged(services, c.nodes);
    const runId = await db.withTransaction(async (client) => {
      const imageId = await createImage(client, nodeRow.info, levelCount(grid.width, grid.height));
      return engine.submit(client, {
        studyId: c.study.id,
        kind: "writeChangeMap",
        title: `Write ${name}`,
        params: {
          changeMapId: randomUUID(),
          imageId,
          name,
          node: stages.node,
          stages: stages.info,
          info: nodeRow.info,
          gated: c.nodes.gated,
          nodeHash: nodeRow.hash,
          setup: c.setup,
          zones,
          provenance,
        },
      });
    });
    res.status(202).json({ runId });
  });
}

import { compareRoutes as routes } from "@hindglance/contract/compare";
import { Reply, serve } from "./serve";
import { randomUUID } from "node:crypto";
import type { Router } from "express";
import type { CompareNodes } from "@hindglance/contract/comparison";
import { countedNode, stagesNode } from "@hindglance/core/change/build";
import { isByRules } from "@hindglance/core/change/classSource";
import type { ChangeNodes, ChangeSetup } from "@hindglance/core/change/setup";
import { firstMapKind } from "@hindglance/core/change/firstMap/kind";
import type { Note } from "@hindglance/core/change/firstMap/words";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, nodeHash } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { type Grid, levelCount } from "@hindglance/core/grid/grid";
import type { SecondLayer } from "@hindglance/core/change/rules";
import { lookName, lookUnit, secondNode } from "@hindglance/core/change/second";
import { createImage } from "../db/images";
import { findTally } from "../db/nodes";
import type { Client } from "../db/pool";
import { type Scene, findScene, studyZones } from "../db/scenes";
import { AppError, notFound } from "../errors";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { askForFirstMap } from "../products/firstMap";
import type { GroupFacts } from "../preview/groupTasks";
import type { HistogramResult } from "../preview/tasks";
import {
  type Comparison,
  type Side,
  comparisonOf,
  preparedLooks,
  rangesOf,
} from "../products/comparison";
import type { ReadyScene } from "../products/families";
import { isAtHand } from "../products/otherDates";
import { madeFromOf } from "../products/madeFrom";
import { chainOfScene } from "../products/preparation";
import { provenanceOf } from "../products/provenance";
import { type StudySides, cloudSide, isDate, sideNode, studySides } from "../products/sides";
import { iso } from "../products/time";
import { zonesOnGrid } from "../products/zonePolygons";

import { nodeView, register } from "./nodes";
import type { Services } from "./services";
import { shared, whenLeft } from "./shared";
import { onGrid } from "@hindglance/core/graph/onGrid";
import { holdMeasure, runningMeasure, setWanted } from "../db/runs";
import { WANTED_S } from "../runs/waits";

/** Cells that a histogram looks at, at the most. */
const SAMPLE_CELLS = 4e6;

/** All stages of a map and what is known of them, for runs. */
async function staged(
  { sources }: Services,
  changeNodes: ChangeNodes,
): Promise<{ node: NodeSpec; info: ImageInfo }> {
  const spec = stagesNode(changeNodes);
  return { node: spec, info: await new Evaluator({ sources }).info(spec) };
}

/** What a second sensor says of a map and what is known of that, for runs; null where none is asked. */
async function confirmedOf({ sources }: Services, { confirmed }: ChangeNodes) {
  return confirmed && { node: confirmed, info: await new Evaluator({ sources }).info(confirmed) };
}

/** What one date is compared as, or why it cannot be. */
async function sideView(
  services: Services,
  all: StudySides,
  scene: ReadyScene,
  looks: number | null,
) {
  const family = chainOfScene(all.chains, scene.id)?.family ?? null;
  const common = { sceneId: scene.id, family };
  try {
    const { sources } = services;
    const { node, info } = await sideNode(sources, all, scene);
    const hash = nodeHash(node, versionOf);
    const cloud = await cloudSide(sources, all, scene);
    const isKept = await isAtHand(services.db, all, scene);
    return { ...common, node, hash, info, cloud, looks, isKept, problem: null };
  } catch (error) {
    if (!(error instanceof InputError)) {
      throw error;
    }
    const nothing = { node: null, hash: null, info: null, cloud: null, looks: null };
    return { ...common, ...nothing, isKept: false, problem: error.message };
  }
}

/** Every date of a study as it is compared: stored as it is, or as its chain makes it. */
async function sidesView(services: Services, studyId: string) {
  const { db } = services;
  const all = await db.withClient((client) => studySides(client, studyId));
  const radar = all.chains.find((chain) => chain.family === "radar");
  const looksOf = await db.withClient((client) => preparedLooks(client, radar));
  const out = [];
  for (const scene of all.scenes.filter(isDate)) {
    const own = scene.looks?.find((value) => value !== null) ?? null;
    out.push(await sideView(services, all, scene, looksOf.get(scene.id) ?? own));
  }
  return out;
}

const isReflectance = (side: Side): boolean =>
  side.info.bands.some((band) => band.role === "reflectance");

/** Whether it can be told what the pair itself shows. */
const hasFirstMap = ({ before, setup }: Comparison): boolean => {
  const band = before.info.bands[setup.band];
  return !!band && firstMapKind(band, setup.measure) !== null;
};

/** What the second sensor shows on the dates that it has, on the grid of the map. */
async function secondViews(
  services: Services,
  { second: asked }: ChangeSetup,
  second: Comparison["second"],
  grid: Grid,
): Promise<CompareNodes["second"]> {
  if (!asked || !second) {
    return null;
  }
  const view = async (layer: SecondLayer) =>
    nodeView(await register(services, secondNode(asked, second.sides, layer, grid)));
  const { before, after } = second.sides;
  return {
    name: lookName(asked.look),
    scene: second.after?.name ?? null,
    unit: after ? lookUnit(asked.look, after.info) : "",
    before: before && (await view("secondBefore")),
    after: after && (await view("secondAfter")),
  };
}

/** Makes the nodes of a comparison known, so that each has an address. */
export async function compareNodes(
  services: Services,
  { before, after, nodes, warnings, series, second, setup }: Comparison,
): Promise<CompareNodes> {
  const view = async (spec: NodeSpec) => nodeView(await register(services, spec));
  const gated = await view(nodes.gated);
  const whole = (side: Side) => view(onGrid(side.node, side.info, gated.info.grid));
  return {
    groups: nodes.groups ? { groups: await view(nodes.groups.groups) } : null,
    pictures:
      isReflectance(before) && isReflectance(after)
        ? { before: await whole(before), after: await whole(after) }
        : null,
    before: await view(nodes.before),
    after: await view(nodes.after),
    stack: await view(nodes.stack),
    gated,
    classes: await view(nodes.classes),
    confirmed: nodes.confirmed && (await view(nodes.confirmed)),
    second: await secondViews(services, setup, second, gated.info.grid),
    warnings,
    series: series && {
      normal: series.normal.map(({ name }) => name),
      watched: series.watched.map(({ name }) => name),
    },
    blurs: [...new Set([...before.blurs, ...after.blurs].map(({ said }) => said))],
  };
}

/**
 * Exact areas of a comparison: known, or the run that measures them. A run that measures the very
 * same map is joined, not started a second time.
 * @param page who waits for them: a run that is begun for it ends when nobody waits any more
 */
export async function measureAreasOf(
  services: Services,
  compared: Comparison,
  hash: string,
  page: string | null = null,
): Promise<{ tally: NonNullable<Awaited<ReturnType<typeof findTally>>> } | { runId: string }> {
  const { db, engine, waits } = services;
  const known = await db.withClient((client) => findTally(client, hash));
  if (known) {
    return { tally: known };
  }
  const params = { key: hash, ...(await staged(services, compared.nodes)) };
  const confirmed = await confirmedOf(services, compared.nodes);
  const studyId = compared.study.id;
  const runId = await db.withTransaction(async (client) => {
    await holdMeasure(client, hash);
    const running = await runningMeasure(client, studyId, hash);
    if (running) {
      return running;
    }
    const order = {
      studyId,
      kind: "measureAreas",
      title: "Measure areas",
      params: { ...params, confirmed },
    };
    const begun = await engine.submit(client, order);
    if (page) {
      await setWanted(client, begun, WANTED_S);
    }
    return begun;
  });
  if (page) {
    await waits.add(page, runId);
  }
  return { runId };
}

/** Histograms of before, after and measure inside the study area where both dates are seen. */
async function countHistograms(
  services: Services,
  nodes: ChangeNodes,
  signal: AbortSignal,
): Promise<HistogramResult> {
  const ranges = await rangesOf(services, nodes);
  const told = { node: nodes.gated, ranges, bins: 500, maxCells: SAMPLE_CELLS };
  return services.previews.histograms(told, signal);
}

const histogramsView = ({ histograms, halves, tiles, cells, cellsOfImage }: HistogramResult) => ({
  before: histograms[0],
  after: histograms[1],
  measure: histograms[2],
  halves: { before: halves[0], after: halves[1], measure: halves[2] },
  tiles: { before: tiles[0], after: tiles[1], measure: tiles[2] },
  cells,
  sampled: cellsOfImage > SAMPLE_CELLS,
});

/** Routes of a pair that a caller sets out whole: its nodes, histograms, groups and areas. */
export function compareRoutes(api: Router, services: Services): void {
  const { db, previews } = services;
  const histograms = shared<HistogramResult>(60);
  const groupFacts = shared<GroupFacts>(60);
  const firstMaps = shared<FirstMap>(60);
  serve(api, routes.sides, async ({ params }) => sidesView(services, params.id));
  serve(api, routes.nodes, async ({ params, body }) =>
    compareNodes(services, await comparisonOf(services, params.id, body)),
  );
  serve(api, routes.histograms, async ({ params, body, res }) => {
    const { nodes } = await comparisonOf(services, params.id, body);
    const hash = nodeHash(nodes.gated, versionOf);
    const count = (signal: AbortSignal) => countHistograms(services, nodes, signal);
    return histogramsView(await histograms(hash, whenLeft(res), count));
  });
  const firstMapFor = async (compared: Comparison, left: AbortSignal): Promise<FirstMap> => {
    const ask = await askForFirstMap(services, compared);
    const key = `${nodeHash(ask.node, versionOf)} ${ask.leastCells}`;
    return firstMaps(key, left, (signal) => previews.firstMap({ ask }, signal));
  };
  serve(api, routes.firstMap, async ({ params, body, res }) =>
    firstMapFor(await comparisonOf(services, params.id, body), whenLeft(res)),
  );
  /** Groups of a comparison: how large, and what they look like on both dates. */
  serve(api, routes.groups, async ({ params, body, res }) => {
    const {
      nodes: { groups },
    } = await comparisonOf(services, params.id, body);
    if (!groups) {
      throw new AppError(422, "invalid", "This comparison has no groups", "setup.groups");
    }
    const key = nodeHash(groups.groups, versionOf) + nodeHash(groups.before, versionOf);
    return groupFacts(key, whenLeft(res), (signal) => previews.groups(groups, signal));
  });
  /** Exact areas by class: at once when they are known, else as a run. */
  serve(api, routes.areas, async ({ params, body }) => {
    const compared = await comparisonOf(services, params.id, body);
    const { hash } = await register(services, countedNode(compared.nodes));
    const areas = await measureAreasOf(services, compared, hash);
    return new Reply("runId" in areas ? 202 : 200, { ...areas, hash });
  });
  serve(api, routes.tally, async ({ params }) => {
    const tally = await db.withClient((client) => findTally(client, params.hash));
    if (!tally) {
      throw notFound("tally");
    }
    return { tally, hash: params.hash };
  });
  serve(api, routes.write, async ({ params, body, res }) => {
    const compared = await comparisonOf(services, params.id, body);
    const evidence =
      isByRules(compared.setup) && hasFirstMap(compared)
        ? (await firstMapFor(compared, whenLeft(res))).evidence.notes
        : null;
    const told = { name: body.name ?? null, evidence };
    return new Reply(202, { runId: await submitChangeMap(services, compared, told) });
  });
}

/** The classified raster that rules of a comparison look at, where one does. */
async function coverScene(client: Client, { nodes, setup }: Comparison): Promise<Scene | null> {
  return setup.coverId && nodes.layers.some((layer) => layer.name === "cover")
    ? findScene(client, setup.coverId)
    : null;
}

/** The classified dates that classes come from, where they do. */
async function coverScenes(
  client: Client,
  { transitions }: ChangeSetup,
): Promise<{ before: Scene; after: Scene } | null> {
  const before = transitions ? await findScene(client, transitions.beforeId) : null;
  const after = transitions ? await findScene(client, transitions.afterId) : null;
  return before && after ? { before, after } : null;
}

/** Begins the run that writes a change map, and gives its id. */
async function submitChangeMap(
  services: Services,
  compared: Comparison,
  told: { name: string | null; evidence: Note[] | null },
): Promise<string> {
  const { db, engine } = services;
  const { study, after, nodes, setup } = compared;
  const map = await register(services, nodes.classes);
  const stages = await staged(services, nodes);
  const beside = await db.withClient(async (client) => ({
    zone: await studyZones(client, study.id),
    cover: await coverScene(client, compared),
    covers: await coverScenes(client, setup),
    evidence: told.evidence,
  }));
  const { gated, doubt, second } = await madeFromOf(services, compared);
  const name = told.name ?? `${study.name}, ${iso(after.acquiredAt ?? new Date()).slice(0, 10)}`;
  const { width, height } = map.info.grid;
  return db.withTransaction(async (client) => {
    const imageId = await createImage(client, map.info, levelCount(width, height));
    return engine.submit(client, {
      studyId: study.id,
      kind: "writeChangeMap",
      title: `Write ${name}`,
      params: {
        changeMapId: randomUUID(),
        imageId,
        name,
        node: stages.node,
        stages: stages.info,
        info: map.info,
        gated,
        nodeHash: map.hash,
        setup,
        zones: zonesOnGrid(beside.zone, map.info.grid),
        doubt,
        second,
        provenance: provenanceOf(compared, map, beside),
      },
    });
  });
}

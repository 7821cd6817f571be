import { type Comparable, comparisonWarnings } from "@hindglance/core/chain/comparable";
import { isWhole } from "@hindglance/core/chain/radar/elevation";
import type { RadarScene } from "@hindglance/core/chain/radar/family";
import { orbitShiftM } from "@hindglance/core/radar/orbitShift";
import { type Blur, blursIn, sharpened, smoothingWarnings } from "@hindglance/core/chain/smoothing";
import { type Chain, looksIn, withStep } from "@hindglance/core/chain/family";
import type { Alignment } from "@hindglance/core/align/alignment";
import { type Speckle, isSharp } from "@hindglance/core/change/speckle";
import { buildChange } from "@hindglance/core/change/build";
import type {
  ChangeInputs,
  ChangeNodes,
  ChangeSetup,
  ChangeSide,
} from "@hindglance/core/change/setup";
import { InputError } from "@hindglance/core/errors";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, nodeHash, walk } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { sameGrid } from "@hindglance/core/grid/grid";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import type { PreparedSide } from "../db/changeMaps";
import { findImage } from "../db/images";
import type { Client, Database } from "../db/pool";
import { findKept } from "../db/products";
import type { Scene } from "../db/scenes";
import type { Study } from "../db/studies";
import { AppError } from "../errors";
import type { StoredSources } from "../eval/sources";
import type { PreviewPool } from "../preview/pool";
import { coverDateWarnings } from "./coverDates";
import { elevationCover } from "./elevationCover";
import { isReady } from "./families";
import { type Second, secondOf } from "./secondSensor";
import { type Series, seriesOf } from "./seriesDates";
import { type Preparation, chainOfScene, settingsAt } from "./preparation";
import { type StudySides, cloudSide, isDate, rawNode, sideNode, studySides } from "./sides";

/** One date as it is compared. */
export type Side = Scene & {
  info: ImageInfo;
  imageId: string;
  node: NodeSpec;
  align: Alignment | null;
  prepared: PreparedSide | null;
  /** What blurs banks in its chain. */
  blurs: Blur[];
};
/** Two dates with everything that their comparison is made of. */
export interface Comparison {
  study: Study;
  chains: Preparation[];
  before: Side;
  after: Side;
  elevation: (Scene & { info: ImageInfo; imageId: string }) | null;
  setup: ChangeSetup;
  /** What the nodes are built from. */
  inputs: ChangeInputs;
  nodes: ChangeNodes;
  /** Dates of the series that the measure looks at; null where it looks at the pair alone. */
  series: Series | null;
  /** The second sensor that is asked about the map; null where none is. */
  second: Second | null;
  warnings: string[];
}

const productOf = ([range, azimuth]: readonly [number, number]): number => range * azimuth;

/**
 * Equivalent looks of what the chain gives without what blurs banks: measured on the kept result
 * where there is one, else those of the product times the looks it takes.
 */
export async function preparedLooks(
  client: Client,
  chain: Preparation | undefined,
): Promise<Map<string, number>> {
  const out = new Map<string, number>();
  if (!chain) {
    return out;
  }
  const nodes = [...chain.nodes].map(([id, chainResult]) => ({
    id,
    hash: nodeHash(sharpened(chainResult.result), versionOf),
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
    const own = readyScene.looks?.find((value) => value !== null) ?? null;
    if (measured != null) {
      out.set(id, measured);
    } else if (own !== null) {
      out.set(id, own * productOf(looksIn(chain.family, settingsAt(chain, id))));
    }
  }
  return out;
}

/** One side of a comparison as its chain and Align make it. */
async function sideOf(
  sources: StoredSources,
  all: StudySides,
  id: string,
  { field, speckle }: { field: string; speckle: Speckle },
): Promise<Side> {
  const scene = all.scenes.find((x) => x.id === id);
  if (!scene) {
    throw new AppError(422, "invalid", "This scene is not in the study", field);
  }
  if (!isReady(scene)) {
    throw new AppError(409, "notReady", `${scene.name} is still being imported`, field);
  }
  try {
    const { node, info } = await sideNode(sources, all, scene);
    const blurs = blursIn(rawNode(all, scene));
    return {
      ...scene,
      node,
      info,
      align: all.align[id] ?? null,
      prepared: preparedSide(chainOfScene(all.chains, id), id, isSharp(speckle) ? blurs : []),
      blurs,
    };
  } catch (error) {
    if (error instanceof InputError) {
      throw new AppError(
        409,
        "notPrepared",
        `${scene.name}: ${error.message}`,
        field,
        error.hint ?? "See Prepare.",
      );
    }
    throw error;
  }
}

/**
 * Settings of the chain that a side went through, for the provenance.
 * @param left rows that it was looked at without
 */
function preparedSide(
  chain: Preparation | null,
  id: string,
  left: readonly Blur[],
): PreparedSide | null {
  if (!chain) {
    return null;
  }
  const settings = left.reduce(
    (set: Chain, { row }) => withStep(set, row, { on: false }),
    settingsAt(chain, id),
  );
  const orbit = chain.orbits.get(id);
  return {
    chain: settings,
    orbit:
      orbit && settings.orbit?.on
        ? { file: orbit.fileName, sha256: orbit.fileSha256, kind: orbit.kind }
        : null,
  };
}

/** @throws AppError when the two sides cannot stand where they are put */
function requireOrder(before: Side, after: Side): void {
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
}

/**
 * Dates that a limit asks for besides the pair; one that is gone or not ready is left out, and the
 * limit names it.
 */
export async function otherDates(
  sources: StoredSources,
  all: StudySides,
  ids: readonly string[],
): Promise<Record<string, ChangeSide>> {
  const others: Record<string, ChangeSide> = {};
  for (const id of ids) {
    const scene = all.scenes.find((k) => k.id === id);
    if (!scene || !isDate(scene)) {
      continue;
    }
    try {
      others[id] = await sideNode(sources, all, scene);
    } catch (error) {
      if (!(error instanceof InputError)) {
        throw error;
      }
    }
  }
  return others;
}

/**
 * A comparison of two scenes of a study: its nodes, and warnings about the pair.
 * @throws AppError when a scene is not there or not ready, or before is not before after
 * @throws InputError when the settings do not fit the scenes
 */
export async function comparisonOf(
  { db, sources }: { db: Database; sources: StoredSources },
  studyId: string,
  pair: { beforeId: string; afterId: string; setup: ChangeSetup },
): Promise<Comparison> {
  const { setup } = pair;
  const all = await db.withClient((client) => studySides(client, studyId));
  const { study, scenes } = all;
  const { speckle } = setup;
  const before = await sideOf(sources, all, pair.beforeId, { field: "beforeId", speckle });
  const after = await sideOf(sources, all, pair.afterId, { field: "afterId", speckle });
  requireOrder(before, after);
  const elevation = elevationOf(scenes, before);
  const series = await seriesOf({ db, sources }, all, pair);
  const second = await secondOf(sources, all, { before, after }, setup.second);
  const cloud = async (x: Side) => (setup.limits.cloud ? cloudSide(sources, all, x) : null);
  const inputs: ChangeInputs = {
    before: { node: before.node, info: before.info, cloud: await cloud(before) },
    after: { node: after.node, info: after.info, cloud: await cloud(after) },
    ...(series ? { series: series.sides } : {}),
    ...(second ? { second: second.sides } : {}),
    others: await otherDates(sources, all, setup.limits.standing?.sceneIds ?? []),
    elevation: elevation ? { id: elevation.imageId, info: elevation.info } : null,
    cover: coverOf(scenes, setup.coverId),
    covers: coversOf(scenes, setup),
    studyArea: study.studyArea ? multiPolygonFrom(study.studyArea) : null,
  };
  const nodes = buildChange(inputs, setup);
  const warnings = [
    ...warningsOf(all, before, after, setup),
    ...groundWarnings(all, before, after),
    ...(await coverWarnings(db, before, elevation, nodes)),
    ...(series?.warnings ?? []),
    ...(second?.warnings ?? []),
  ];
  const { chains } = all;
  const sides = { before, after, elevation };
  return { study, chains, ...sides, setup, inputs, nodes, series, second, warnings };
}

/** The elevation that the chain of a date works with, else the first of the study that is imported. */
function elevationOf(scenes: readonly Scene[], { prepared }: Side): Comparison["elevation"] {
  const ready = scenes.filter((scene) => scene.kind === "elevation").filter(isReady);
  const { elevationId }: Record<string, unknown> = { ...prepared?.chain.terrain };
  return ready.find((scene) => scene.id === elevationId) ?? ready[0] ?? null;
}

/** What the chains of both dates say of the ground under them: elevation that is missing or ends. */
function groundWarnings(all: StudySides, before: Side, after: Side): string[] {
  const [first, second] = [before, after].map(({ id }) => {
    const cells = chainOfScene(all.chains, id)?.nodes.get(id)?.cells ?? [];
    return cells
      .filter(({ step, skipped }) => step === "terrain" && !skipped)
      .flatMap(({ warnings }) => warnings);
  });
  return [
    ...first!.map((text) => `${second!.includes(text) ? "Both dates" : "Before"}: ${text}`),
    ...second!.filter((text) => !first!.includes(text)).map((text) => `After: ${text}`),
  ];
}

/** What is said of an elevation that leaves ground out on which limits ask for it. */
async function coverWarnings(
  db: Database,
  before: Side,
  elevation: Comparison["elevation"],
  { slope, elevation: heights }: ChangeNodes,
): Promise<string[]> {
  // The chain of a prepared date tells it already.
  if (!elevation || (!slope && !heights) || before.prepared) {
    return [];
  }
  const share = await db.withClient((client) =>
    elevationCover(client, before, elevation, before.info.grid),
  );
  return share === null || isWhole(share)
    ? []
    : [
        `${elevation.name} covers ${Math.round(100 * share)} % of the ground that is compared: limits of slope and height drop nothing beyond it.`,
      ];
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

/** Both classified dates that classes come from. */
function coversOf(scenes: readonly Scene[], { transitions }: ChangeSetup): ChangeInputs["covers"] {
  const before = coverOf(scenes, transitions?.beforeId);
  const after = coverOf(scenes, transitions?.afterId);
  return before && after ? { before, after } : null;
}

/** Ends of the histograms of measures that have ends of their own. */
const OWN_ENDS: Record<string, [number, number]> = {
  "change.noChange": [0, 100],
  "change.direction": [0, 360],
  "change.small": [-5, 5],
  "normal.departure": [-15, 15],
};

/** Ends of the histogram of a measure. @param far the farthest that a sample shows, with some room */
function ownRange(measure: NodeSpec, ends: { far: number; most: number }): [number, number] {
  const own = OWN_ENDS[measure.step];
  if (own) {
    return own;
  }
  if (measure.inputs[0]?.step === "normal.away") {
    return [0, Math.max(1, Math.ceil(ends.most * 1.05))];
  }
  return [measure.step === "change.vector" ? 0 : -ends.far, ends.far];
}

/**
 * Ends of the histograms of before, after and measure: decibels have their usual ones, other values
 * those that a sample shows.
 */
export async function rangesOf(
  { previews, sources }: { previews: PreviewPool; sources: StoredSources },
  changeNodes: ChangeNodes,
): Promise<[number, number][]> {
  const info = await new Evaluator({ sources }).info(changeNodes.before);
  const measured = (await new Evaluator({ sources }).info(changeNodes.measure)).bands[0]!;
  if (info.classes) {
    const labels: [number, number] = [0, 1 + Math.max(...info.classes.map(({ label }) => label))];
    return [labels, labels, [-0.25, 1.25]];
  }
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
  const own = ownRange(changeNodes.measure, { far, most: ends[2]!.max });
  const values: [number, number] = decibel ? [-40, 10] : [lo - room, hi + room];
  return [values, values, own];
}

/** Plain warnings about a pair that may not be comparable. */
function warningsOf(
  all: StudySides,
  before: Comparison["before"],
  after: Comparison["after"],
  setup: ChangeSetup,
): string[] {
  const { band } = setup;
  const out = comparisonWarnings(
    comparableSide(all, before, before.info.bands[band]?.name),
    comparableSide(all, after, before.info.bands[band]?.name),
  );
  if (!isSharp(setup.speckle)) {
    out.push(...new Set([before, after].flatMap((side) => smoothingWarnings(side.node))));
  }
  out.push(...coverDateWarnings(all.scenes, { before, after }, setup));
  const event = all.study.eventAt ? Date.parse(all.study.eventAt) : null;
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
const comparableSide = (all: StudySides, side: Side, band: string | undefined) => {
  const stored = side.node.step === "source";
  const k = stored
    ? Math.max(
        0,
        side.info.bands.findIndex((b) => b.name === band),
      )
    : -1;
  return {
    ...comparableOf(side),
    orbit: orbitUsed(all, side),
    radiometry: side.info.radiometry ?? null,
    level: levelOf(side),
    mean:
      stored && side.statistics?.[k]?.valid
        ? side.statistics[k].sum / side.statistics[k].valid
        : null,
  };
};
/** Which orbit a side lies by, and how far an orbit file moved it; null without a radar chain. */
function orbitUsed({ chains }: StudySides, { id }: Side): Comparable["orbit"] {
  const chain = chainOfScene(chains, id);
  const scene = chain?.family === "radar" ? chain.chainScenes.get(id) : undefined;
  const sensor = scene?.info.sensor;
  if (!chain || !scene || !sensor) {
    return null;
  }
  const { orbit }: Partial<RadarScene> = scene;
  const isOn = settingsAt(chain, id).orbit?.on === true;
  return orbit && isOn
    ? { kind: orbit.kind, movedM: orbitShiftM(sensor, orbit.vectors) }
    : { kind: "own", movedM: null };
}

/** Processing level of a side's reflectance, with what its chain has done; null of radar. */
const levelOf = ({ info, node }: Side): 1 | 2 | null =>
  info.optical && surfaced(node) ? 2 : (info.optical?.level ?? null);
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
  pass: scene.detail.pass ?? scene.detail.items?.PASS ?? null,
  incidenceDeg: scene.detail.incidenceDeg ?? null,
});

/**
 * Sides of a comparison whose chain was set differently after it was last run: what they are
 * compared as would have to be computed on the way, which takes as long as running the chain.
 */
export async function sidesNotRun(
  client: Client,
  { before, after, second, chains, setup }: Comparison,
): Promise<Pick<Scene, "id" | "name">[]> {
  const beside = [second?.before, second?.after].filter((scene) => scene != null);
  const results = [before, after, ...beside].flatMap((side) => {
    const chained = chainOfScene(chains, side.id)?.nodes.get(side.id)?.result;
    const isOfPair = side === before || side === after;
    const result = chained && isOfPair && isSharp(setup.speckle) ? sharpened(chained) : chained;
    return result && result.step !== "source" ? [{ side, hash: nodeHash(result, versionOf) }] : [];
  });
  const kept = await findKept(
    client,
    results.map((result) => result.hash),
  );
  return results.filter((result) => !kept.has(result.hash)).map((result) => result.side);
}

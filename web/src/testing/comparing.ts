import type { Comparison } from "@hindglance/contract/comparison";
import { buildChange } from "@hindglance/core/change/build";
import { emptySetup } from "@hindglance/core/change/defaults";
import { firstBurnMap } from "@hindglance/core/change/firstMap/burn";
import { type FirstMap, firstWaterMap } from "@hindglance/core/change/firstMap/firstMap";
import { levelsOf } from "@hindglance/core/change/firstMap/levels";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { BandInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, nodeHash, sourceNode } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";
import { addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import { lcg, memorySources } from "@hindglance/core/testing/support";
import type { CompareHistograms, CompareNodes, NodeView, Scene, Side } from "../api/types";
import { useCompare } from "../compare/state";
import { HeldComparison } from "./heldComparison";
import { type Asked, fakeServer } from "./page";
import { aBand, aScene, aStudy, anImage, idOf } from "./things";

// The worker that measures overviews has tests of its own; here nothing comes back from it.
Object.assign(globalThis, {
  Worker: class {
    postMessage() {}
    terminate() {}
  },
});

/** A band of an index, and one of reflectance. */
export const NBR = aBand({ name: "NBR", role: "value" });
const RED = aBand({ name: "red", role: "reflectance", wavelengthNm: 660 });

/** A stored scene of a day of May. */
export const dated = (digit: number, kind: string, day: string, bands: BandInfo[]): Scene =>
  aScene({
    id: idOf(digit),
    kind,
    name: `Scene ${digit}`,
    acquiredAt: `2025-05-${day}T18:00:00Z`,
    imageId: idOf(digit),
    info: anImage({ bands }),
  });
/** A pair of radar scenes and one of optical scenes, around the event of the study. */
export const SCENES = [
  dated(1, "radar", "02", [aBand(), aBand({ name: "VH" })]),
  dated(2, "radar", "14", [aBand(), aBand({ name: "VH" })]),
  dated(3, "optical", "03", [NBR, RED]),
  dated(4, "optical", "15", [NBR, RED]),
];
/** The study that they belong to. */
export const STUDY = aStudy({ eventAt: "2025-05-12T05:20:00Z", hazard: "flood" });

/** A scene that is compared as it is stored. */
export const sideOf = (scene: Scene): Side => ({
  sceneId: scene.id,
  family: null,
  node: sourceNode(scene.imageId!),
  hash: nodeHash(sourceNode(scene.imageId!), versionOf),
  info: scene.info,
  cloud: null,
  looks: 4.4,
  isKept: true,
  problem: null,
});

/** Two heaps of cells around two values, the second twice as large. */
function heaps(low: number, high: number) {
  const histogram = emptyHistogram(-30, 10, 250);
  const values = [low, high].flatMap((middle, k) =>
    Array.from({ length: 3000 * (k + 1) }, (_v, i) => middle + 2 * Math.sin(i) * Math.cos(3 * i)),
  );
  addToHistogram(histogram, Float32Array.from(values));
  return histogram;
}
/** Histograms with a heap of water and one of land. */
export const HISTOGRAMS: CompareHistograms = {
  before: heaps(-18, -8),
  after: heaps(-19, -8),
  measure: heaps(-9, 0),
  halves: {
    before: [heaps(-18, -8), heaps(-18, -8)],
    after: [heaps(-19, -8), heaps(-19, -8)],
    measure: [heaps(-9, 0), heaps(-9, 0)],
  },
  tiles: { before: null, after: null, measure: null },
  cells: 9000,
  sampled: false,
};

/** The first map of fields of which a tenth came under water, or of which none did. */
export function firstMapOfFields(isFlooded: boolean): FirstMap {
  const [width, height] = [60, 60];
  const random = lcg(3);
  const decibels = (middle: (i: number) => number) =>
    Float32Array.from({ length: width * height }, (_v, i) => middle(i) + random() - 0.5);
  const isWet = (i: number) => isFlooded && i % width < 20 && i < 20 * width;
  const sample = {
    width,
    height,
    before: decibels(() => -10),
    after: decibels((i) => (isWet(i) ? -21 : -10)),
  };
  return firstWaterMap([sample], {
    levels: levelsOf("VV"),
    leastCells: 12,
    cellM: 20,
    otherIds: [],
    isWhole: true,
    isPhysical: true,
  });
}

/** The first map of plants of which a ninth burned. */
export function firstMapOfFire(): FirstMap {
  const side = 60;
  const random = lcg(4);
  const layer = (on: number, elsewhere: number) =>
    Float32Array.from({ length: side * side }, (_v, i) => {
      const isBurned = i % side < 20 && i < 20 * side;
      return (isBurned ? on : elsewhere) + 0.02 * (random() - 0.5);
    });
  const sample = { width: side, height: side, before: layer(0.5, 0.5), measure: layer(0.6, 0) };
  return firstBurnMap([sample], { leastCells: 12, cellM: 30, isWhole: true });
}

/** The first map of what is asked for. */
const firstMapFor = ({ body }: Asked): FirstMap =>
  JSON.stringify(body).includes('"indexLoss"') ? firstMapOfFire() : firstMapOfFields(true);

/** The radar pair with usual settings, and what a test gives it. */
export const radarComparison = (more: Partial<ChangeSetup> = {}): Comparison => ({
  beforeId: idOf(1),
  afterId: idOf(2),
  setup: { ...emptySetup({ looks: 4.4, hasStudyArea: false, hasElevation: false }), ...more },
});

/** The nodes that the server would make of a comparison of stored scenes. */
export async function nodesOf(
  { beforeId, afterId, setup }: Comparison,
  scenes: readonly Scene[],
): Promise<CompareNodes> {
  const images = Object.fromEntries(
    scenes.flatMap(({ imageId, info }) =>
      imageId && info ? [[imageId, { info, bands: [] }]] : [],
    ),
  );
  const evaluator = new Evaluator({ sources: memorySources(images) });
  const view = async (spec: NodeSpec): Promise<NodeView> => ({
    hash: nodeHash(spec, versionOf),
    info: await evaluator.info(spec),
    levels: 1,
    block: 512,
  });
  const source = (id: string | null) => {
    const { node, info } = sideOf(scenes.find((scene) => scene.id === id)!);
    return { node: node!, info: info! };
  };
  const nodes = buildChange(
    { before: source(beforeId), after: source(afterId), elevation: null, studyArea: null },
    setup!,
  );
  return {
    pictures: null,
    blurs: [],
    series: null,
    confirmed: null,
    second: null,
    before: await view(nodes.before),
    after: await view(nodes.after),
    stack: await view(nodes.stack),
    gated: await view(nodes.gated),
    classes: await view(nodes.classes),
    groups: nodes.groups ? { groups: await view(nodes.groups.groups) } : null,
    warnings: [],
  };
}

/** What a test gives a server that compares. */
export interface ComparingPage {
  scenes?: Scene[];
  sides?: Side[];
  histograms?: (asked: Asked) => unknown;
  firstMap?: (asked: Asked) => unknown;
  /** Answers of what else is asked for; an empty list where it is left out. */
  other?: (asked: Asked) => unknown;
}

/** A server that holds one comparison and counts its histograms; nothing of another test is left. */
export function comparingServer(comparison: Comparison | null, page: ComparingPage = {}) {
  const { scenes = SCENES, histograms = () => HISTOGRAMS, other = () => [] } = page;
  const { firstMap = firstMapFor } = page;
  useCompare.setState({ studyId: null, saved: null, comparison: null, past: [], future: [] });
  const held = new HeldComparison(comparison);
  const asked = fakeServer((one) => {
    if (one.path.endsWith("/compare/sides")) {
      return page.sides ?? scenes.map(sideOf);
    }
    if (one.path.endsWith("/compare/histograms")) {
      return histograms(one);
    }
    if (one.path.endsWith("/compare/first-map")) {
      return firstMap(one);
    }
    return one.path.includes("/comparison") ? held.answer(one) : other(one);
  });
  return { held, asked };
}

import { createHash } from "node:crypto";
import { emptySetup } from "@hindglance/core/change/defaults";
import { withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapAsk, firstMapOf } from "@hindglance/core/change/firstMap/sampling";
import { buildChange } from "@hindglance/core/change/build";

import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { fullWindow } from "@hindglance/core/grid/grid";
import { CLASS_NODATA, realCells } from "@hindglance/core/raster/block";
import { LOOKS_BINS, addLocalLooks, looksAtPeak } from "@hindglance/core/radar/estimateLooks";
import { memorySources } from "@hindglance/core/testing/support";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { COVER, buildGround } from "./ground";
import { islandThings } from "./islandThings";
import { AFTER, BEFORE, cleanSigma, imageOf } from "./radar";
import { type ThingScore, scoreThings } from "./smallScore";
import { TRUTH, isFlood, openIou, score, truthOf } from "./truth";
import { studyAreaGeoJson } from "./vectors";
import { FACTOR, imageGrid } from "./write";
import { node, sourceNode } from "@hindglance/core/graph/node";

// Builds the world, runs the product's own steps on it with default settings, and prints what came
// out as JSON: for the tests and
// for the tables of docs/methods.md.
const ground = buildGround(27);
const grid = imageGrid(ground);
const n = grid.width * grid.height;
const truth = truthOf(ground, FACTOR, grid.width, grid.height);
const digest = (x: ReturnType<typeof buildGround>) => {
  const hash = createHash("sha256");
  for (const a of [x.elevation, x.cover, x.waterAfter]) {
    hash.update(Buffer.from(a.buffer));
  }
  return hash.digest("hex");
};
const [vv] = cleanSigma(ground, BEFORE);
let dry = 0;
let shadow = 0;
let airfield = 0;
let onlyOne = 0;
let top = 0;
for (let i = 0; i < vv.length; i++) {
  if (ground.elevation[i] === 0 && ground.cover[i] !== COVER.water) {
    dry++;
  }
  if (vv[i] === 0 && ground.cover[i] !== COVER.water) {
    shadow++;
  }
  if (ground.cover[i] === COVER.airfield && 10 * Math.log10(vv[i]!) < -18) {
    airfield++;
  }
  top = Math.max(top, ground.elevation[i]!);
}
for (let r = 0; r < grid.height; r++) {
  for (let c = 0; c < grid.width; c++) {
    if (BEFORE.frame(c / 50, r / 50) !== AFTER.frame(c / 50, r / 50)) {
      onlyOne++;
    }
  }
}
const counts = new Array<number>(6).fill(0);
truth.forEach((value) => {
  counts[value]!++;
});

const info = (name: string, role: "power" | "elevation", onImage: boolean): ImageInfo => ({
  grid: onImage ? grid : ground.grid,
  type: "float32",
  bands: [
    {
      name,
      unit: role === "elevation" ? "m" : "",
      role,
      ...(role === "power" ? { polarisation: "VV" } : {}),
    },
  ],
});
const imagesOf = (pass: typeof BEFORE) =>
  imageOf(ground, pass, grid, FACTOR).map((band) =>
    band.map((value) => (value === 0 ? NaN : value)),
  );
const dates = { before: imagesOf(BEFORE), after: imagesOf(AFTER) };
const before = dates.before[0]!;
const sources = memorySources({
  b: { info: info("VV", "power", true), bands: [before] },
  a: { info: info("VV", "power", true), bands: [dates.after[0]!] },
  e: { info: info("z", "elevation", false), bands: [ground.elevation] },
});
const bins = new Array<number>(LOOKS_BINS).fill(0);
addLocalLooks(before, grid.width, grid.height, bins);
const inputs = {
  before: { node: sourceNode("b"), info: await sources.info("b") },
  after: { node: sourceNode("a"), info: await sources.info("a") },
  elevation: { id: "e", info: await sources.info("e") },
  studyArea: multiPolygonFrom(studyAreaGeoJson()),
};
const evaluator = new Evaluator({ sources });
const w = fullWindow(grid);
let setup = emptySetup({ looks: looksAtPeak(bins), hasStudyArea: true, hasElevation: true });
setup = withFirstMap(setup, await firstMapOf(evaluator, firstMapAsk(inputs, setup)));
const scores: Record<
  string,
  { iou: number; openIou: number; producers: number; users: number; standingUsers: number }
> = {};
for (const [name, s, made] of [
  [
    "no filter, no limits",
    { ...setup, speckle: { ...setup.speckle, filter: "none" as const } },
    "raw",
  ],
  ["Lee", { ...setup, speckle: { ...setup.speckle, filter: "lee" as const } }, "raw"],
  ["refined Lee", setup, "raw"],
  ["refined Lee, all limits", setup, "classes"],
] as const) {
  const labels = (await evaluator.read(buildChange(inputs, s)[made], 0, w)).bands[0]!;
  const accuracy = score(
    (i) => labels[i] === 1,
    (i) => isFlood(truth[i]!),
    (i) => labels[i] !== CLASS_NODATA,
    n,
  );
  const water = score(
    (i) => labels[i] === 2,
    (i) => truth[i] === TRUTH.standingWater,
    (i) => labels[i] !== CLASS_NODATA,
    n,
  );
  scores[name] = {
    iou: accuracy.iou,
    openIou: openIou(
      (i) => labels[i] === 1,
      truth,
      (i) => labels[i] !== CLASS_NODATA,
    ),
    producers: accuracy.producers,
    users: accuracy.users,
    standingUsers: water.users,
  };
}
/** Things that came or went, of both polarisations. */
async function smallThings(): Promise<ThingScore> {
  const bands = ["VV", "VH"].map((polarisation): ImageInfo["bands"][number] => ({
    name: polarisation,
    unit: "",
    role: "power",
    polarisation,
  }));
  const both: ImageInfo = { grid, type: "float32", bands };
  const pair = memorySources({
    b: { info: both, bands: dates.before },
    a: { info: both, bands: dates.after },
  });
  const params = { looks: setup.speckle.looks, km2: 10 };
  const strength = node("change.small", params, sourceNode("b"), sourceNode("a"));
  const block = await new Evaluator({ sources: pair }).read(strength, 0, w);
  return scoreThings(realCells(block.bands[0]!), grid.width, islandThings(ground));
}
const small = await smallThings();
console.log(
  JSON.stringify({
    small,
    same: digest(buildGround(27)) === digest(ground),
    otherSeedDiffers: digest(buildGround(28)) !== digest(ground),
    top,
    dry,
    covers: [...new Set(ground.cover)].sort(),
    counts,
    shadow,
    airfield,
    onlyOne: onlyOne / n,
    looks: looksAtPeak(bins),
    thresholds: setup.rules[0]!.all.map((condition) => condition.value),
    scores,
  }),
);

import { areaOnGrid } from "@hindglance/core/change/areaOnGrid";
import type { ExtraInput } from "@hindglance/core/classify/extraInputs";
import type { Texture } from "@hindglance/core/classify/texture";
import { type Transitions, classesOfTransitions } from "@hindglance/core/change/transitions";
import { gatherCells } from "@hindglance/core/classify/gather";
import { inputsOf } from "@hindglance/core/classify/inputs";
import type { Method } from "@hindglance/core/classify/model";
import { EMPTY_CLASSIFY } from "@hindglance/core/classify/settings";
import type { Smoothing } from "@hindglance/core/classify/settings";
import { smoothed } from "@hindglance/core/classify/smooth";
import { appliedPriors, train } from "@hindglance/core/classify/train";
import { changesOf } from "@hindglance/core/cover/coverClass";
import type { DoubtFrom } from "@hindglance/core/doubt/mapDoubt";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { node, sourceNode } from "@hindglance/core/graph/node";
import { type Grid, fullWindow } from "@hindglance/core/grid/grid";
import { cutGrid } from "@hindglance/core/grid/union";
import { copyWindow, labelCells } from "@hindglance/core/raster/block";
import { memorySources } from "@hindglance/core/testing/support";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { rasterise } from "@hindglance/core/vector/rasterise";
import { type DoubtScore, scoreDoubt, wholeDoubt } from "./facts/doubt";
import type { Truth } from "./facts/scored";
import { type Ground, buildGround } from "./ground";
import { BASIN_AREA, LEGEND, coverOnGrid, testAreas, trainingAreas } from "./landCover";
import { HELIO_BANDS, coverOn, opticalGrid } from "./optical/ground";
import { GAIN, type HelioScene, OFFSET, SCENES, noisyNumber, helioTruth } from "./optical/helio";
import { generator } from "./random";
import { polygonOf } from "./vectors";

// Land cover of the Quill Basin, classified with the demo's training areas, against the truth.
// Prints JSON for the tests and for the tables of docs/methods.md.

/** The window of the optical grid around the basin. */
const WINDOW = { col: 233, row: 467, width: 232, height: 153 };
const whole = opticalGrid();
const grid: Grid = cutGrid(whole, WINDOW);
const CELL_KM2 = 0.0009;
const NAMES: readonly string[] = LEGEND.map(({ name }) => name);
/** Label of a class of the legend by its name. */
const labelOf = (name: string): number => NAMES.indexOf(name) + 1;

/** Reflectance at the top of the atmosphere as the files give it, noise and steps of the numbers too. */
function bandsOf(ground: Ground, scene: HelioScene): Float32Array[] {
  const { toa } = helioTruth(ground, scene);
  const random = generator(scene.date.seed);
  const sun = Math.sin((scene.date.sunElevationDeg * Math.PI) / 180);
  return toa.map((band) => {
    const cells = new Float32Array(WINDOW.width * WINDOW.height);
    copyWindow(band, fullWindow(whole), cells, WINDOW);
    return cells.map((value) => (noisyNumber(value, sun, random) * GAIN + OFFSET) / sun);
  });
}

const cutLabels = (cover: Uint8Array): Uint8Array => {
  const cells = new Uint8Array(WINDOW.width * WINDOW.height);
  copyWindow(coverOnGrid(cover), fullWindow(whole), cells, WINDOW);
  return cells.map((value) => LEGEND.findIndex((one) => one.cover === value) + 1);
};

const ringOnGrid = (ring: [number, number][]) =>
  areaOnGrid(multiPolygonFrom(polygonOf(ring)), grid);

const ground = buildGround(27);
const dates = { then: SCENES.old, now: SCENES.before };
type Side = keyof typeof dates;
const SIDES = ["then", "now"] as const;
const info: ImageInfo = {
  grid,
  type: "float32",
  bands: HELIO_BANDS.map(({ id, nm }) => ({
    ...{ name: `B${id}`, unit: "", role: "reflectance" as const, wavelengthNm: nm },
  })),
};
const bands = { then: bandsOf(ground, dates.then), now: bandsOf(ground, dates.now) };
const truth = {
  then: cutLabels(coverOn(ground, dates.then.date)),
  now: cutLabels(coverOn(ground, dates.now.date)),
};
const inside = new Uint8Array(WINDOW.width * WINDOW.height);
rasterise(ringOnGrid(BASIN_AREA), grid, fullWindow(grid), 1, inside);
const training = trainingAreas(ground);

const elevation: ImageInfo = {
  ...{ grid: ground.grid, type: "float32" },
  bands: [{ name: "elevation", unit: "m", role: "elevation" }],
};
const sources = memorySources({
  then: { info, bands: bands.then },
  now: { info, bands: bands.now },
  elevation: { info: elevation, bands: [ground.elevation] },
});

/** What lone cells are cleaned with in the table. */
const SMOOTHING: Smoothing = { majorityCells: 3, minPatchCells: 4, neighbours: 8 };

/** Labels of a date by a method, trained on the demo's areas: as they are found, or smoothed. */
async function classified(
  side: Side,
  method: Method,
  smoothing: Smoothing | null,
  extras: readonly ExtraInput[],
): Promise<Uint8Array> {
  const legend = LEGEND.map(({ name, color }, k) => ({ label: k + 1, name, color, note: "" }));
  const settings = { ...EMPTY_CLASSIFY, legend, method, heldShare: 0 };
  const image = inputsOf({ node: sourceNode(side), info }, null, grid, {
    extras,
    sources: { elevation: { node: sourceNode("elevation"), info: elevation }, scenes: new Map() },
  });
  const areas = training.map((area, k) => ({
    id: String(k),
    label: labelOf(area[side]),
    polygons: ringOnGrid(area.ring),
  }));
  const plain = new Evaluator({ sources });
  const trained = train(settings, image.names, await gatherCells(plain, image.node, areas));
  const withModel = { ...sources, model: () => Promise.resolve(trained.model) };
  const params = {
    ...{ model: "m", method, reject: null },
    priors: appliedPriors(settings, trained.classes),
    classes: legend.map(({ label, name, color }) => ({ label, name, color })),
  };
  const made = (output: string) => node("classify.apply", { ...params, output }, image.node);
  const evaluator = new Evaluator({ sources: withModel });
  const clean = smoothed(made("labels"), smoothing, made("probabilities"));
  return labelCells((await evaluator.read(clean, 0, fullWindow(grid))).bands[0]!);
}

/** Share of cells that are right: of the study area, and of the test areas. */
function accuracyOf(side: Side, labels: Uint8Array): { whole: number; test: number } {
  const share = (counts: (i: number) => boolean) => {
    let [right, all] = [0, 0];
    labels.forEach((label, i) => {
      if (counts(i) && truth[side][i]! > 0) {
        all++;
        right += label === truth[side][i] ? 1 : 0;
      }
    });
    return right / all;
  };
  const test = new Uint8Array(inside.length);
  for (const { ring } of testAreas(ground)) {
    rasterise(ringOnGrid(ring), grid, fullWindow(grid), 1, test);
  }
  return { whole: share((i) => inside[i] === 1), test: share((i) => test[i] === 1) };
}

/** Change that was found against change that was, and areas of each transition over 1 km². */
function changeOf(labels: Record<Side, Uint8Array>) {
  let [found, missed, wrong] = [0, 0, 0];
  const areas = new Map<string, { truth: number; mapped: number }>();
  const add = (was: number, is: number, what: "truth" | "mapped") => {
    const key = `${NAMES[was - 1]} to ${NAMES[is - 1]}`;
    const held = areas.get(key) ?? { truth: 0, mapped: 0 };
    areas.set(key, { ...held, [what]: held[what] + CELL_KM2 });
  };
  inside.forEach((isIn, i) => {
    if (!isIn || !truth.then[i] || !truth.now[i]) {
      return;
    }
    const [was, is] = [truth.then[i], truth.now[i]];
    const [first, second] = [labels.then[i]!, labels.now[i]!];
    add(was, is, "truth");
    add(first, second, "mapped");
    const [real, mapped] = [was !== is, first !== second];
    found += real && mapped ? 1 : 0;
    missed += real && !mapped ? 1 : 0;
    wrong += !real && mapped ? 1 : 0;
  });
  const large = [...areas].filter(
    ([name, { truth: km2 }]) => km2 > 1 && name.split(" to ")[0] !== name.split(" to ")[1],
  );
  return { f1: (2 * found) / (2 * found + missed + wrong), transitions: Object.fromEntries(large) };
}

const CLASSES = LEGEND.map(({ name, color }, k) => ({ label: k + 1, name, color }));

/** How the doubt of a from–to map holds: changed or not, whatever into. */
async function doubtOf(labels: Record<Side, Uint8Array>): Promise<DoubtScore> {
  const classes = CLASSES.map(({ label, name, color }) => ({
    ...{ name, color, before: [label], after: [label] },
  }));
  const kept = changesOf(classes).map(({ label }) => label);
  const transitions: Transitions = {
    ...{ beforeId: "", afterId: "", classes, show: "changed", kept, unlikely: [] },
  };
  const image = (cells: Uint8Array) => ({
    info: {
      ...{ grid, type: "class8" as const, classes: CLASSES },
      bands: [{ name: "class", unit: "", role: "classes" as const }],
    },
    bands: [cells],
  });
  const evaluator = new Evaluator({
    sources: memorySources({
      ...{ then: { info, bands: bands.then }, now: { info, bands: bands.now } },
      ...{ thenClasses: image(labels.then), nowClasses: image(labels.now) },
    }),
  });
  const [before, after] = [sourceNode("thenClasses"), sourceNode("nowClasses")];
  const become = node("cover.fromTo", { classes }, before, after);
  const map = node("classify.pick", { classes: classesOfTransitions(transitions) }, become);
  const from: DoubtFrom = {
    ...{ kind: "dates", transitions },
    before: { labels: before, values: sourceNode("then") },
    after: { labels: after, values: sourceNode("now") },
  };
  const doubt = await wholeDoubt(evaluator, from, map, grid);
  return scoreDoubt(doubt!, [1], CHANGED, grid);
}

const CHANGED: Truth = {
  real: (i) => truth.then[i] !== truth.now[i],
  counts: (i) => inside[i] === 1 && truth.then[i]! > 0 && truth.now[i]! > 0,
  cellKm2: CELL_KM2,
};

const WEIGHTED = { ...SMOOTHING, weighted: true };
type Shown = readonly [
  name: string,
  method: Method,
  smoothing: Smoothing | null,
  extras?: readonly ExtraInput[],
];
const METHODS_SHOWN: readonly Shown[] = [
  ["likelihood", "likelihood", null],
  ["likelihood, smoothed", "likelihood", SMOOTHING],
  ["likelihood, weighted", "likelihood", WEIGHTED],
  ["forest", "forest", null],
  ["forest, smoothed", "forest", SMOOTHING],
  ["forest, weighted", "forest", WEIGHTED],
  ["mahalanobis", "mahalanobis", null],
  ["minimumDistance", "minimumDistance", null],
  ["spectralAngle", "spectralAngle", null],
];

const texture = (name: Texture, windowCells: number): ExtraInput => ({
  ...{ kind: "texture", band: "B4", texture: name, windowCells },
});
const BESIDES: Record<string, readonly ExtraInput[]> = {
  slope: [{ kind: "terrain", of: "slope" }],
  "elevation and slope": [
    { kind: "terrain", of: "elevation" },
    { kind: "terrain", of: "slope" },
  ],
  "contrast of 5 x 5 cells": [texture("contrast", 5)],
  "deviation of 3 x 3 cells": [texture("deviation", 3)],
};
/** What other inputs add: with --inputs, for the table. */
const WITH_INPUTS = Object.entries(BESIDES).flatMap(([what, extras]): Shown[] => [
  [`likelihood, ${what}`, "likelihood", null, extras],
  [`forest, ${what}`, "forest", null, extras],
]);

/** Maps whose doubt is held against the truth. */
const DOUBTED = ["likelihood", "likelihood, smoothed", "forest", "forest, smoothed"];

const facts: Record<string, unknown> = {};
const asked = process.argv.includes("--inputs") ? WITH_INPUTS : METHODS_SHOWN;
for (const [name, method, smoothing, extras = []] of asked) {
  const labels = {
    then: await classified("then", method, smoothing, extras),
    now: await classified("now", method, smoothing, extras),
  };
  facts[name] = {
    then: accuracyOf("then", labels.then),
    now: accuracyOf("now", labels.now),
    ...changeOf(labels),
    ...(DOUBTED.includes(name) ? { doubt: await doubtOf(labels) } : {}),
  };
}
if (process.argv.includes("--cells")) {
  // For other programs: labels to train on and the truth, then the bands, cell by cell.
  const cells = SIDES.map((side) => ({
    truth: [...truth[side]],
    inside: [...inside],
    bands: bands[side].map((band) => [...band]),
    training: (() => {
      const out = new Uint8Array(inside.length);
      training.forEach(({ ring, ...area }) =>
        rasterise(ringOnGrid(ring), grid, fullWindow(grid), labelOf(area[side]), out),
      );
      return [...out];
    })(),
  }));
  console.log(JSON.stringify({ facts, cells }));
} else {
  console.log(JSON.stringify(facts));
}

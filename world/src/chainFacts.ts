import { mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { RadarChain } from "@hindglance/core/chain/radar/steps";
import { floodChain, sceneNodes } from "@hindglance/core/chain/radarChain";
import { buildChange } from "@hindglance/core/change/build";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import { emptySetup } from "@hindglance/core/change/defaults";
import { withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { firstMapAsk, firstMapOf } from "@hindglance/core/change/firstMap/sampling";
import { egm96 } from "@hindglance/core/geodesy/egm96";
import { nameGeoid } from "@hindglance/core/geodesy/geoid";
import { Evaluator, type SourceReader } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { blockWindows, fullWindow, levelGrid, northUp } from "@hindglance/core/grid/grid";
import {
  CLASS_NODATA,
  type Cells,
  copyWindow,
  labelCells,
  realCells,
} from "@hindglance/core/raster/block";
import { halveMean } from "@hindglance/core/raster/pyramid";
import type { ProductLuts } from "@hindglance/core/radar/luts";

import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { readOrbitFile } from "@hindglance/formats/product/orbitFile";
import { readSafe } from "@hindglance/formats/product/safe";
import { MemorySource } from "@hindglance/formats/source";
import { openTiff } from "@hindglance/formats/tiff/readTiff";
import { openZip, readAll } from "@hindglance/formats/zip";
import { COVER, HEIGHT, WIDTH, buildGround } from "./ground";
import { islandThings } from "./islandThings";
import { PASSES, type RadarPass } from "./mission";
import { writeProduct } from "./products";
import { INCIDENCE_DEG, coverSigma } from "./radar";
import { type ThingScore, scoreThings } from "./smallScore";
import { TARGETS } from "./simulate";
import { TRUTH, isFlood, openIou, score, truthOf } from "./truth";
import { studyAreaGeoJson } from "./vectors";
import { sensorFrame } from "@hindglance/core/grid/frames";

// Writes three raw products, reads them back as any product, runs the default chain, and scores it
// against the truth of the world; prints JSON.
const ground = buildGround(27);
const folder = mkdtempSync(join(tmpdir(), "hind-glance-facts-"));
const grid = northUp(
  ground.grid.crs,
  ground.grid.transform[0],
  ground.grid.transform[3],
  10,
  10,
  WIDTH,
  HEIGHT,
);
const images = new Map<string, { info: ImageInfo; bands: Float32Array[] }>();
const tables = new Map<string, ProductLuts>();
const elevation: ImageInfo = {
  grid: ground.grid,
  type: "float32",
  bands: [{ name: "elevation", unit: "m", role: "elevation", range: [0, 620], vertical: "egm96" }],
};
nameGeoid(egm96);
images.set("z", { info: elevation, bands: [ground.elevation] });
const sources: SourceReader = {
  info: async (id) => images.get(id)!.info,
  luts: async (id) => tables.get(id)!,
  read: async (id, level, w) => {
    const { width, height } = levelGrid(images.get(id)!.info.grid, level);
    const from = { col: 0, row: 0, width, height };
    return {
      window: w,
      bands: atLevel(id, level).map((band) => {
        const out = new Float32Array(w.width * w.height).fill(NaN);
        copyWindow(band, from, out, w);
        return out;
      }),
    };
  },
};

/** Overviews by the bands that they were made of, level after level. */
const overviews = new WeakMap<Float32Array[], Float32Array[]>();

/** Bands of an image at a level. */
function atLevel(id: string, level: number): Float32Array[] {
  const { info, bands } = images.get(id)!;
  let coarse = bands;
  for (let above = 0; above < level; above++) {
    const from = levelGrid(info.grid, above);
    const to = levelGrid(info.grid, above + 1);
    const known = overviews.get(coarse);
    const next =
      known ??
      coarse.map((band) => {
        const out = new Float32Array(to.width * to.height);
        halveMean(band, from.width, from.height, out);
        return out;
      });
    overviews.set(coarse, next);
    coarse = next;
  }
  return coarse;
}
const whole = async (n: NodeSpec): Promise<Cells[]> => {
  const evaluator = new Evaluator({ sources });
  const info = await evaluator.info(n);
  const { width, height } = info.grid;
  const out = info.bands.map(() =>
    info.type === "class8" ? new Uint8Array(width * height) : new Float32Array(width * height),
  );
  for (const w of blockWindows(info.grid)) {
    (await evaluator.read(n, 0, w)).bands.forEach((band, k) => {
      for (let r = 0; r < w.height; r++) {
        out[k]!.set(band.subarray(r * w.width, (r + 1) * w.width), (w.row + r) * width + w.col);
      }
    });
  }
  return out;
};
/** Keeps a node's cells as an image of their own, so that they are computed once. */
const keep = async (id: string, n: NodeSpec): Promise<void> => {
  images.set(id, {
    info: await new Evaluator({ sources }).info(n),
    bands: (await whole(n)).map(realCells),
  });
};

async function load(
  pass: RadarPass,
): Promise<{ id: string; vectors: ReturnType<typeof readOrbitFile>["vectors"] }> {
  await writeProduct(folder, ground, pass);
  const day = pass.time.slice(0, 10).replace(/-/g, "");
  const names = readdirSync(folder);
  const set = await openZip(
    new MemorySource(
      readFileSync(
        join(
          folder,
          names.find((n) => n.endsWith(".zip") && n.includes(`_${day}T`))!,
        ),
      ),
    ),
  );
  const product = await readSafe(set);
  const vv = product.polarisations[0]!;
  const raster = await openTiff(new MemorySource(await readAll(set, vv.measurement, 2 ** 31)));
  const raw = (
    await raster.readRaw({ col: 0, row: 0, width: raster.width, height: raster.height })
  )[0]!;
  const cells = new Float32Array(raw.length);
  for (let i = 0; i < raw.length; i++) {
    cells[i] = raw[i] === 0 ? NaN : raw[i]!;
  }
  images.set(day, {
    info: {
      grid: {
        crs: sensorFrame(day),
        transform: [0, 1, 0, 0, 0, 1],
        width: raster.width,
        height: raster.height,
      },
      type: "float32",
      bands: [{ name: "amplitude VV", unit: "DN", role: "amplitude", polarisation: "VV" }],
      sensor: product.sensor,
    },
    bands: [cells],
  });
  tables.set(day, product.luts);
  const sensorModel = product.sensor;
  const orbit = readOrbitFile(
    readFileSync(
      join(
        folder,
        names.find((n) => n.endsWith(".EOF") && n.includes(`_V${day}`))!,
      ),
    ),
    "orbit.EOF",
  );
  return {
    id: day,
    vectors: orbit.vectors.filter((vector) => Math.abs(vector.t - sensorModel.firstLineT) < 100),
  };
}

const db = (value: number) => 10 * Math.log10(value);
const settings = floodChain(grid, { elevationId: "-", looks: 4.4, rangeLooks: 1, azimuthLooks: 1 });
const nodesOf = (
  s: { id: string; vectors: never[] | Awaited<ReturnType<typeof load>>["vectors"] },
  radarChain: RadarChain,
  precise = true,
) =>
  sceneNodes(
    {
      id: s.id,
      imageId: s.id,
      info: images.get(s.id)!.info,
      orbit: precise ? { kind: "precise", vectors: s.vectors } : null,
      elevation: { imageId: "z", info: elevation },
    },
    radarChain,
  ).at(-1)!.output;
const scale = 1 / Math.cos((INCIDENCE_DEG * Math.PI) / 180);

/** Images of a pass, as the chain gives them with the precise orbit, by what they are for. */
interface Prepared {
  pass: RadarPass;
  flat: Float32Array;
  hidden: Float32Array;
  beta: Float32Array;
  sigma: Float32Array;
  /** Beta nought by the product's own orbit. */
  ownOrbit: Float32Array;
  /** Sigma nought of the ground as the world has it. */
  truth: Float32Array;
}

const withoutFlatten = { ...settings, flatten: { ...settings.flatten, on: false } };
const withoutExtras = { ...withoutFlatten, terrain: { ...settings.terrain, extras: false } };

async function firstBand(n: NodeSpec): Promise<Float32Array> {
  return realCells((await whole(n))[0]!);
}

async function prepare(pass: RadarPass): Promise<Prepared> {
  const loaded = await load(pass);
  const { id } = loaded;
  await keep(`${id}-flat`, nodesOf(loaded, settings));
  await keep(`${id}-beta`, nodesOf(loaded, withoutFlatten));
  const [flat, , hidden] = images.get(`${id}-flat`)!.bands;
  const toSigma = { ...withoutExtras, calibrate: { ...settings.calibrate, to: "sigma" as const } };
  const { wind, wetness, seed } = pass;
  return {
    pass,
    flat: flat!,
    hidden: hidden!,
    beta: images.get(`${id}-beta`)!.bands[0]!,
    sigma: await firstBand(nodesOf(loaded, toSigma)),
    ownOrbit: await firstBand(nodesOf(loaded, withoutExtras, false)),
    truth: coverSigma(ground, { after: pass.flood === 1, wind, wetness, seed })[0],
  };
}

/** How the ground leans at a cell: rise to the east and to the south, metres a metre. */
function leanAt(i: number): { east: number; south: number } {
  const z = ground.elevation;
  return { east: (z[i + 1]! - z[i - 1]!) / 20, south: (z[i + WIDTH]! - z[i - WIDTH]!) / 20 };
}

/** Cells that are not at the rim, with their places. */
function* innerCells(): Generator<{ i: number; c: number; r: number }> {
  for (let r = 4; r < HEIGHT - 4; r++) {
    for (let c = 4; c < WIDTH - 4; c++) {
      yield { i: r * WIDTH + c, c, r };
    }
  }
}

const isNearTarget = (c: number, r: number): boolean =>
  TARGETS.some(({ x, y }) => Math.hypot(c / 100 - x, r / 100 - y) <= 0.1);

/** Level ground by cover: sigma nought against the truth, in decibels. */
function evenDb({ pass, sigma, truth: real }: Prepared): Record<string, number> {
  const sums: Record<string, [number, number]> = {};
  for (const { i, c, r } of innerCells()) {
    const { east, south } = leanAt(i);
    const isEven = Math.hypot(east, south) < 0.01 && ground.elevation[i]! > 0;
    if (!isEven || Number.isNaN(sigma[i]) || ground.cover[i] === COVER.town || isNearTarget(c, r)) {
      continue;
    }
    const isFlooded = pass.flood === 1 && !!ground.waterAfter[i];
    const of = (sums[ground.cover[i] === COVER.water || isFlooded ? "water" : "land"] ??= [0, 0]);
    of[0] += sigma[i]!;
    of[1] += real[i]!;
  }
  return Object.fromEntries(Object.entries(sums).map(([name, [a, b]]) => [name, db(a / b)]));
}

function sideOf(east: number): string | null {
  if (east > 0.12) {
    return "rises to the east";
  }
  return east < -0.12 ? "falls to the east" : null;
}

/** Facets that lean one way or the other: flattened, and beta nought, against the truth. */
function leanDb({ flat, hidden, beta, truth: real }: Prepared) {
  const sums: Record<string, { flat: number; truth: number; beta: number }> = {};
  for (const { i } of innerCells()) {
    const side = sideOf(leanAt(i).east);
    if (!side || Number.isNaN(flat[i]) || hidden[i] !== 0) {
      continue;
    }
    const of = (sums[side] ??= { flat: 0, truth: 0, beta: 0 });
    of.flat += flat[i]!;
    of.truth += real[i]! * scale;
    of.beta += Number.isNaN(beta[i]) ? 0 : beta[i]!;
  }
  const by = (which: "flat" | "beta") =>
    Object.fromEntries(Object.entries(sums).map(([side, of]) => [side, db(of[which] / of.truth)]));
  return { leanFlatDb: by("flat"), leanBetaDb: by("beta") };
}

/** The brightest cell within some cells of a place. */
function brightestNear(image: Float32Array, x: number, y: number): { c: number; r: number } {
  let top = 0;
  let found = { c: 0, r: 0 };
  for (let r = Math.round(y) - 8; r <= y + 8; r++) {
    for (let c = Math.round(x) - 8; c <= x + 8; c++) {
      const value = image[r * WIDTH + c]!;
      if (value > top) {
        top = value;
        found = { c, r };
      }
    }
  }
  return found;
}

/** How far the middle of a bright target lies from where it is, cells. */
function targetError(image: Float32Array, x: number, y: number): number {
  const at = brightestNear(image, x, y);
  let sx = 0;
  let sy = 0;
  let sum = 0;
  for (let r = at.r - 3; r <= at.r + 3; r++) {
    for (let c = at.c - 3; c <= at.c + 3; c++) {
      const value = image[r * WIDTH + c]!;
      sum += value;
      sx += value * (c + 0.5);
      sy += value * (r + 0.5);
    }
  }
  return Math.hypot(sx / sum - x, sy / sum - y);
}

const worstTarget = (image: Float32Array): number =>
  Math.max(...TARGETS.map(({ x, y }) => targetError(image, x * 100, y * 100)));

async function accuracy(pass: RadarPass): Promise<object> {
  const prepared = await prepare(pass);
  return {
    pass: pass.pass,
    evenDb: evenDb(prepared),
    ...leanDb(prepared),
    targetsPrecise: worstTarget(prepared.beta),
    targetsOwn: worstTarget(prepared.ownOrbit),
  };
}

const before = PASSES.find((pass) => pass.time.startsWith("2025-05-02"))!;
const after = PASSES.find((pass) => pass.time.startsWith("2025-05-14"))!;
const ascending = PASSES.find((pass) => pass.pass === "ascending")!;
const checks = [await accuracy(before), await accuracy(after), await accuracy(ascending)];

const truth = truthOf(ground, 1, WIDTH, HEIGHT);
const area = multiPolygonFrom(studyAreaGeoJson());
const scores: Record<string, object> = {};
/** Which limits of the flood's map are on. */
type WhichLimits = "all" | "no slope" | "none";

function limitsOf(limits: ChangeSetup["limits"], which: WhichLimits): ChangeSetup["limits"] {
  switch (which) {
    case "none":
      return { ...limits, seenMarginCells: 0, maxSlopeDeg: null, minPatchCells: null };
    case "no slope":
      return { ...limits, maxSlopeDeg: null };
    default:
      return limits;
  }
}

const dayOf = (pass: RadarPass): string => pass.time.slice(0, 10).replace(/-/g, "");

async function flood(
  name: string,
  which: "flat" | "beta",
  limits: WhichLimits,
  filter: "refinedLee" | "none" = "refinedLee",
): Promise<void> {
  const side = (pass: RadarPass) => {
    const id = `${dayOf(pass)}-${which}`;
    return { node: sourceNode(id), info: images.get(id)!.info };
  };
  const start = emptySetup({ looks: 4.4, hasStudyArea: true, hasElevation: true });
  const bare: ChangeSetup = {
    ...start,
    speckle: { ...start.speckle, filter },
    limits: limitsOf(start.limits, limits),
  };
  const inputs = {
    before: side(before),
    after: side(after),
    elevation: { id: "z", info: elevation },
    studyArea: area,
  };
  const setup = withFirstMap(
    bare,
    await firstMapOf(new Evaluator({ sources }), firstMapAsk(inputs, bare)),
  );
  const classes = labelCells((await whole(buildChange(inputs, setup).classes))[0]!);
  const counted = (i: number) => classes[i] !== CLASS_NODATA;
  const water = score(
    (i) => classes[i] === 2,
    (i) => truth[i] === TRUTH.standingWater,
    counted,
    classes.length,
  );
  scores[name] = {
    ...score(
      (i) => classes[i] === 1,
      (i) => isFlood(truth[i]!),
      counted,
      classes.length,
    ),
    openIou: openIou((i) => classes[i] === 1, truth, counted),
    standingUsers: water.users,
    thresholds: setup.rules[0]!.all.slice(0, 2).map(({ value }) => value),
  };
}
await flood("flattened, all limits", "flat", "all");
await flood("flattened, no slope limit", "flat", "no slope");
await flood("not flattened, all limits", "beta", "all");
await flood("not flattened, no slope limit", "beta", "no slope");
await flood("flattened, no filter and no limits", "flat", "none", "none");
// Both dates smoothed with each other's help in place of the filter in Compare.
const [first, second] = [before, after].map((pass) => sourceNode(`${dayOf(pass)}-flat`));
for (const [index, pass] of [before, after].entries()) {
  await keep(
    `${dayOf(pass)}-joint`,
    node("radar.acrossDates", { index, windowCells: 7 }, first!, second!),
  );
}
for (const pass of [before, after]) {
  images.set(`${dayOf(pass)}-beta`, images.get(`${dayOf(pass)}-joint`)!);
}
await flood("flattened, across dates before refined Lee, all limits", "beta", "all");
/** Things that came or went, on the cells of 20 m that they were put on. */
async function smallThings(): Promise<ThingScore> {
  const [was, is] = [before, after].map((pass) =>
    node("bands.select", { bands: [0] }, sourceNode(`${dayOf(pass)}-flat`)),
  );
  const strength = node("change.small", { looks: 4.4, km2: 10 }, was!, is!);
  const coarse = levelGrid(grid, 1);
  const block = await new Evaluator({ sources }).read(strength, 1, fullWindow(coarse));
  return scoreThings(realCells(block.bands[0]!), coarse.width, islandThings(ground));
}
const small = await smallThings();
rmSync(folder, { recursive: true });
console.log(JSON.stringify({ checks, scores, small }));

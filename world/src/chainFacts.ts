import { mkdtempSync, readFileSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import type { RadarChain } from "@hindglance/core/chain/radar/steps";
import { floodChain, sceneNodes } from "@hindglance/core/chain/radarChain";
import { buildChange } from "@hindglance/core/change/build";

import { emptySetup, initialRules } from "@hindglance/core/change/defaults";
import { Evaluator, type SourceReader } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { blockWindows, northUp } from "@hindglance/core/grid/grid";
import { CLASS_NODATA, type Cells, realCells, labelCells } from "@hindglance/core/raster/block";
import { addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import type { ProductLuts } from "@hindglance/core/radar/luts";

import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { readOrbitFile } from "@hindglance/formats/product/orbitFile";
import { readSafe } from "@hindglance/formats/product/safe";
import { MemorySource } from "@hindglance/formats/source";
import { openTiff } from "@hindglance/formats/tiff/readTiff";
import { openZip, readAll } from "@hindglance/formats/zip";
import { COVER, HEIGHT, WIDTH, buildGround } from "./ground";
import { PASSES, type RadarPass } from "./mission";
import { writeProduct } from "./products";
import { INCIDENCE_DEG, coverSigma } from "./radar";
import { TARGETS } from "./simulate";
import { TRUTH, isFlood, score, truthOf } from "./truth";
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
  bands: [{ name: "elevation", unit: "m", role: "elevation", range: [0, 620] }],
};
images.set("z", { info: elevation, bands: [ground.elevation] });
const sources: SourceReader = {
  info: async (id) => images.get(id)!.info,
  luts: async (id) => tables.get(id)!,
  read: async (id, level, w) => {
    if (level > 0) {
      throw new Error("Only full resolution is read here");
    }
    const { info, bands } = images.get(id)!;
    return {
      window: w,
      bands: bands.map((band) => {
        const out = new Float32Array(w.width * w.height);
        for (let r = 0; r < w.height; r++) {
          out.set(
            band.subarray(
              (w.row + r) * info.grid.width + w.col,
              (w.row + r) * info.grid.width + w.col + w.width,
            ),
            r * w.width,
          );
        }
        return out;
      }),
    };
  },
};
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

async function accuracy(pass: RadarPass): Promise<object> {
  const s = await load(pass);
  const [vv] = coverSigma(ground, {
    after: pass.flood === 1,
    wind: pass.wind,
    wetness: pass.wetness,
    seed: pass.seed,
  });
  await keep(`${s.id}-flat`, nodesOf(s, settings));
  await keep(
    `${s.id}-beta`,
    nodesOf(s, { ...settings, flatten: { ...settings.flatten, on: false } }),
  );
  const [flat, , hidden] = images.get(`${s.id}-flat`)!.bands as [
    Float32Array,
    Float32Array,
    Float32Array,
  ];
  const sigma = realCells(
    (
      await whole(
        nodesOf(s, {
          ...settings,
          calibrate: { ...settings.calibrate, to: "sigma" },
          flatten: { ...settings.flatten, on: false },
          terrain: { ...settings.terrain, extras: false },
        }),
      )
    )[0]!,
  );
  // Level ground by cover: sigma nought against the truth. Facets that lean one way or the other.
  const even: Record<string, [number, number]> = {};
  const lean: Record<string, [number, number, number]> = {};
  for (let r = 4; r < HEIGHT - 4; r++) {
    for (let c = 4; c < WIDTH - 4; c++) {
      const i = r * WIDTH + c;
      const value = sigma[i]!;
      const fraction = flat[i]!;
      const east = (ground.elevation[i + 1]! - ground.elevation[i - 1]!) / 20;
      const south = (ground.elevation[i + WIDTH]! - ground.elevation[i - WIDTH]!) / 20;
      if (
        value === value &&
        Math.hypot(east, south) < 0.01 &&
        ground.elevation[i]! > 0 &&
        ground.cover[i] !== COVER.town &&
        TARGETS.every((t) => Math.hypot(c / 100 - t.x, r / 100 - t.y) > 0.1)
      ) {
        const e = (even[
          ground.cover[i] === COVER.water || (pass.flood && ground.waterAfter[i]) ? "water" : "land"
        ] ??= [0, 0]);
        e[0] += value;
        e[1] += vv[i]!;
      }
      const side = east > 0.12 ? "rises to the east" : east < -0.12 ? "falls to the east" : null;
      if (side && fraction === fraction && hidden[i] === 0) {
        const b = images.get(`${s.id}-beta`)!.bands[0]![i]!;
        const sums = (lean[side] ??= [0, 0, 0]);
        sums[0] += fraction;
        sums[1] += vv[i]! * scale;
        sums[2] += b === b ? b : 0;
      }
    }
  }
  const targets = async (img: Float32Array) =>
    TARGETS.map((t) => {
      let top = 0;
      let bc = 0;
      let br = 0;
      let sx = 0;
      let sy = 0;
      let sum = 0;
      for (let r = Math.round(t.y * 100) - 8; r <= t.y * 100 + 8; r++) {
        for (let c = Math.round(t.x * 100) - 8; c <= t.x * 100 + 8; c++) {
          const value = img[r * WIDTH + c]!;
          if (value > top) {
            top = value;
            bc = c;
            br = r;
          }
        }
      }
      for (let r = br - 3; r <= br + 3; r++) {
        for (let c = bc - 3; c <= bc + 3; c++) {
          const value = img[r * WIDTH + c]!;
          sum += value;
          sx += value * (c + 0.5);
          sy += value * (r + 0.5);
        }
      }
      return Math.hypot(sx / sum - t.x * 100, sy / sum - t.y * 100);
    });
  const own = realCells(
    (
      await whole(
        nodesOf(
          s,
          {
            ...settings,
            flatten: { ...settings.flatten, on: false },
            terrain: { ...settings.terrain, extras: false },
          },
          false,
        ),
      )
    )[0]!,
  );
  return {
    pass: pass.pass,
    evenDb: Object.fromEntries(Object.entries(even).map(([k, [a, b]]) => [k, db(a / b)])),
    leanFlatDb: Object.fromEntries(Object.entries(lean).map(([k, [a, b]]) => [k, db(a / b)])),
    leanBetaDb: Object.fromEntries(Object.entries(lean).map(([k, [, b, c]]) => [k, db(c / b)])),
    targetsPrecise: Math.max(...(await targets(images.get(`${s.id}-beta`)!.bands[0]!))),
    targetsOwn: Math.max(...(await targets(own))),
  };
}

const before = PASSES.find((pass) => pass.time.startsWith("2025-05-02"))!;
const after = PASSES.find((pass) => pass.time.startsWith("2025-05-14"))!;
const ascending = PASSES.find((pass) => pass.pass === "ascending")!;
const checks = [await accuracy(before), await accuracy(after), await accuracy(ascending)];

const truth = truthOf(ground, 1, WIDTH, HEIGHT);
const area = multiPolygonFrom(studyAreaGeoJson());
const scores: Record<string, object> = {};
async function flood(
  name: string,
  which: "flat" | "beta",
  limits: "all" | "no slope" | "none",
  filter: "refinedLee" | "none" = "refinedLee",
): Promise<void> {
  const side = (pass: RadarPass) => {
    const id = `${pass.time.slice(0, 10).replace(/-/g, "")}-${which}`;
    return { node: sourceNode(id), info: images.get(id)!.info };
  };
  let setup = emptySetup({ looks: 4.4, hasStudyArea: true, hasElevation: true });
  setup = {
    ...setup,
    speckle: { ...setup.speckle, filter },
    limits:
      limits === "none"
        ? { ...setup.limits, seenMarginCells: 0, maxSlopeDeg: null, minPatchCells: null }
        : limits === "no slope"
          ? { ...setup.limits, maxSlopeDeg: null }
          : setup.limits,
  };
  const inputs = {
    before: side(before),
    after: side(after),
    elevation: { id: "z", info: elevation },
    studyArea: area,
  };
  const changeNodes = buildChange(inputs, setup);
  const gated = await whole(changeNodes.gated);
  const [histogram, a, m] = [
    [-40, 10],
    [-40, 10],
    [-25, 25],
  ].map(([lo, hi], k) => {
    const h = emptyHistogram(lo!, hi!, 500);
    addToHistogram(h, gated[k]!);
    return h;
  }) as [
    ReturnType<typeof emptyHistogram>,
    ReturnType<typeof emptyHistogram>,
    ReturnType<typeof emptyHistogram>,
  ];
  setup = { ...setup, rules: initialRules({ before: histogram, after: a, measure: m }) };
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
    standingUsers: water.users,
    thresholds: [setup.rules[0]!.all[0]!.value, setup.rules[0]!.all[1]!.value],
  };
}
await flood("flattened, all limits", "flat", "all");
await flood("flattened, no slope limit", "flat", "no slope");
await flood("not flattened, all limits", "beta", "all");
await flood("not flattened, no slope limit", "beta", "no slope");
await flood("flattened, no filter and no limits", "flat", "none", "none");
// Both dates smoothed with each other's help in place of the filter in Compare.
for (const [k, pass] of [before, after].entries()) {
  const ids = [before, after].map(
    (radarPass) => `${radarPass.time.slice(0, 10).replace(/-/g, "")}-flat`,
  );
  await keep(
    `${pass.time.slice(0, 10).replace(/-/g, "")}-joint`,
    node(
      "radar.acrossDates",
      { index: k, windowCells: 7 },
      sourceNode(ids[0]!),
      sourceNode(ids[1]!),
    ),
  );
}
for (const pass of [before, after]) {
  images.set(
    `${pass.time.slice(0, 10).replace(/-/g, "")}-beta`,
    images.get(`${pass.time.slice(0, 10).replace(/-/g, "")}-joint`)!,
  );
}
await flood("flattened, across dates before refined Lee, all limits", "beta", "all");
rmSync(folder, { recursive: true });
console.log(JSON.stringify({ checks, scores }));

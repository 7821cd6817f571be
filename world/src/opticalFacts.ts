import { Evaluator } from "@hindglance/core/graph/evaluator";
import { emptyValueSetup } from "@hindglance/core/change/defaults";
import { buildChange } from "@hindglance/core/change/build";

import type { ImageInfo } from "@hindglance/core/graph/image";
import { type NodeSpec, node, sourceNode } from "@hindglance/core/graph/node";
import { memorySources } from "@hindglance/core/testing/support";
import { buildGround } from "./ground";
import { HELIO_BANDS, fireSeverity, opticalGrid, severityOnGrid } from "./optical/ground";
import { type HelioScene, SCENES, columnsOf, helioTruth } from "./optical/helio";
import { realCells, labelCells } from "@hindglance/core/raster/block";

// Runs the optical steps on the world's scenes, holds them against the clean truth, and prints what
// came out as JSON: for the tests and for
// the tables of docs/methods.md.
const ground = buildGround(27);
const fine = fireSeverity(ground);
const severity = severityOnGrid(fine);
const grid = opticalGrid();
const w = { col: 0, row: 0, width: grid.width, height: grid.height };
const n = grid.width * grid.height;
type Where = (i: number) => boolean;
const all: Where = () => true;
const rmse = (a: Float32Array, b: Float32Array, where: Where = all) => {
  let s = 0;
  let k = 0;
  for (let i = 0; i < a.length; i++) {
    const difference = a[i]! - b[i]!;
    if (where(i) && difference === difference) {
      s += difference * difference;
      k++;
    }
  }
  return Math.sqrt(s / k);
};
const bandsRmse = (a: readonly Float32Array[], b: readonly Float32Array[], where?: Where) =>
  b.map((x, k) => rmse(a[k]!, x, where));
/**
 * One scene as reflectance at the top of the atmosphere, without the rounding of a product; cells
 * outside a frame, in gaps and in clouds are nodata.
 */
function scene(helioScene: HelioScene) {
  const t = helioTruth(ground, helioScene, fine);
  const { from, to } = columnsOf(helioScene);
  const masked = (i: number) =>
    t.gaps[i] === 1 || t.cloud[i]! > 0.02 || i % grid.width < from || i % grid.width >= to;
  const info: ImageInfo = {
    grid,
    type: "float32",
    bands: HELIO_BANDS.map((b) => ({
      name: `B${b.id}`,
      unit: "",
      role: "reflectance",
      wavelengthNm: b.nm,
    })),
    optical: {
      level: 1,
      sunElevationDeg: helioScene.date.sunElevationDeg,
      sunAzimuthDeg: helioScene.date.sunAzimuthDeg,
    },
  };
  return {
    ...t,
    info,
    masked,
    bands: t.toa.map((b) => b.map((value, i) => (masked(i) ? NaN : value))),
  };
}
const scenes = Object.fromEntries(
  Object.entries(SCENES)
    .filter(([k]) => k !== "moved" && k !== "old")
    .map(([k, s]) => [k, scene(s)]),
) as Record<string, ReturnType<typeof scene>>;
const evaluator = new Evaluator({ sources: memorySources(scenes) });
const read = async (x: NodeSpec) => (await evaluator.read(x, 0, w)).bands.map(realCells);
const src = sourceNode;

const { before, gapped, hazy, west, east } = scenes as Record<
  "before" | "gapped" | "hazy" | "west" | "east",
  ReturnType<typeof scene>
>;
const surface = async (method: string) =>
  bandsRmse(await read(node("optical.surface", { method }, src("before"))), before.clean);
const nbr = (s: NodeSpec) =>
  node("optical.formula", { formula: "(nir - swir2) / (nir + swir2)", name: "NBR" }, s);
const [a, b] = [(await read(nbr(src("before"))))[0]!, (await read(nbr(src("after"))))[0]!];
const cells = [0, 0, 0, 0];
const sums = [0, 0, 0, 0];
severity.forEach((value, i) => {
  const difference = a[i]! - b[i]!;
  if (difference === difference) {
    cells[value]!++;
    sums[value]! += difference;
  }
});

// Haze: against the same scene without its banks, inside them and where the air is clear.
const clear = helioTruth(ground, { date: SCENES.hazy.date }, fine).toa;
const map = await read(node("optical.hazeMap", {}, src("hazy")));
const dehazed = await read(
  node("optical.haze", { strength: 1 }, node("optical.hazeMap", {}, src("hazy"))),
);
const seen: Where = (i) => hazy.shadow[i]! === 0;
const inside: Where = (i) => seen(i) && hazy.haze[i]! > 0.02;
const outside: Where = (i) => seen(i) && hazy.haze[i] === 0;
let touched = 0;
let free = 0;
let most = 0;
for (let i = 0; i < n; i++) {
  if (outside(i) && dehazed[1]![i] === dehazed[1]![i]) {
    free++;
    const change = Math.max(
      ...[0, 1, 2, 3, 4, 5, 6].map(
        (k) => Math.abs(dehazed[k]![i]! - hazy.bands[k]![i]!) / Math.max(0.02, hazy.bands[k]![i]!),
      ),
    );
    most = Math.max(most, change);
    if (change > 0.01) {
      touched++;
    }
  }
}
const amount = map[7]!;
let sh = 0;
let sa = 0;
let shh = 0;
let saa = 0;
let sha = 0;
let m = 0;
for (let i = 0; i < n; i++) {
  const h = amount[i]!;
  const t = hazy.haze[i]!;
  if (seen(i) && h === h && ground.elevation) {
    m++;
    sh += h;
    sa += t;
    shh += h * h;
    saa += t * t;
    sha += h * t;
  }
}

// Gaps: filled from another date and from neighbours, against the clean bands under them.
const gap: Where = (i) => gapped.gaps[i] === 1;
const filledBy = await read(node("optical.gaps", { masked: false }, src("gapped"), src("before")));
const filledAlone = await read(node("optical.gaps", { masked: false }, src("gapped")));
const open = (found: Float32Array[]) => {
  let k = 0;
  let of = 0;
  for (let i = 0; i < n; i++) {
    if (gap(i)) {
      of++;
      if (found[0]![i] !== found[0]![i]) {
        k++;
      }
    }
  }
  return k / of;
};

// Two frames: their overlap before and after, and the whole against the clean truth as far as tone
// goes.
const frame = (k: string, even: boolean) => (even ? node("optical.evenLight", {}, src(k)) : src(k));
const mosaicOf = (even: boolean, between: boolean) =>
  node(
    "optical.mosaic",
    { between, anchor: 0, featherCells: 24 },
    frame("west", even),
    frame("east", even),
  );
const overlap: Where = (i) =>
  west.bands[0]![i] === west.bands[0]![i] && east.bands[0]![i] === east.bands[0]![i];
const report = await evaluator.report(mosaicOf(true, true));
const even = await read(frame("west", true));
const mosaic = await read(mosaicOf(true, true));
const raw = await read(mosaicOf(false, false));
const even0 = helioTruth(ground, { date: SCENES.west.date }, fine).toa;
/** RMSE after the best gain and offset for the whole band: what is left is uneven. */
const uneven = (x: Float32Array, t: Float32Array) => {
  let k = 0;
  let sx = 0;
  let st = 0;
  let sxx = 0;
  let sxt = 0;
  let stt = 0;
  for (let i = 0; i < n; i++) {
    const value = x[i]!;
    if (value !== value) {
      continue;
    }
    k++;
    sx += value;
    st += t[i]!;
    sxx += value * value;
    sxt += value * t[i]!;
    stt += t[i]! ** 2;
  }
  const gain = (sxt - (sx * st) / k) / (sxx - (sx * sx) / k);
  return Math.sqrt(Math.max(0, (stt - (st * st) / k - gain * (sxt - (sx * st) / k)) / k));
};
// The fire through surface reflectance and NBR to the published breaks, as Compare does it; truth
// has one moderate class, the breaks have two.
const nbrOf = (k: string) =>
  node(
    "optical.indices",
    { outputs: [{ name: "NBR", formula: "(nir - swir2) / (nir + swir2)" }], keep: false },
    node("optical.surface", { method: "darkObject" }, src(k)),
  );
const side = async (k: string) => ({ node: nbrOf(k), info: await evaluator.info(nbrOf(k)) });
const setup = emptyValueSetup([{ name: "NBR", unit: "", role: "value" }], {
  hazard: "fire",
  hasStudyArea: false,
});
const classes = labelCells(
  (
    await evaluator.read(
      buildChange(
        {
          before: await side("before"),
          after: await side("after"),
          elevation: null,
          studyArea: null,
        },
        setup,
      ).classes,
      0,
      w,
    )
  ).bands[0]!,
);
// The classes of the preset run from high to low; the truth's severities from unburned to high.
const SEVERITY_OF_CLASS = [0, 3, 2, 2, 1];
const matrix = Array.from({ length: 4 }, () => [0, 0, 0, 0]);
const water = (i: number) =>
  ground.cover[(Math.floor(i / grid.width) * 3 + 1) * 2400 + (i % grid.width) * 3 + 1] === 1;
classes.forEach((value, i) => {
  if (value !== 255 && !water(i)) {
    matrix[SEVERITY_OF_CLASS[value] ?? 0]![severity[i]!]!++;
  }
});
const sum = (a: number[]) => a.reduce((x, y) => x + y, 0);
const burnt = matrix
  .slice(1)
  .flatMap((r) => r.slice(1))
  .reduce((x, y) => x + y, 0);
const mapped = sum(matrix.slice(1).flat());
const real = sum(matrix.map((r) => sum(r.slice(1))));
console.log(
  JSON.stringify({
    fire: {
      matrix,
      overall: sum(matrix.map((r, k) => r[k]!)) / sum(matrix.flat()),
      iou: burnt / (mapped + real - burnt),
      producers: [0, 1, 2, 3].map((k) => matrix[k]![k]! / sum(matrix.map((r) => r[k]!))),
      users: [0, 1, 2, 3].map((k) => matrix[k]![k]! / sum(matrix[k]!)),
      areaError: mapped / real - 1,
    },
    errors: {
      before: bandsRmse(before.toa, before.clean),
      darkObject: await surface("darkObject"),
      cost: await surface("cost"),
      empirical: await surface("empirical"),
    },
    severityCells: cells,
    meanDnbr: sums.map((s, k) => s / cells[k]!),
    haze: {
      insideBefore: bandsRmse(hazy.bands, clear, inside),
      insideAfter: bandsRmse(dehazed, clear, inside),
      touchedShare: touched / free,
      mostTouched: most,
      correlation: (sha - (sh * sa) / m) / Math.sqrt((shh - (sh * sh) / m) * (saa - (sa * sa) / m)),
    },
    gaps: {
      share: gapped.gaps.reduce((s, value) => s + value, 0) / n,
      byDate: bandsRmse(filledBy, gapped.toa, gap),
      byNeighbours: bandsRmse(filledAlone, gapped.toa, gap),
      leftByDate: open(filledBy),
      leftByNeighbours: open(filledAlone),
      spread: gapped.toa.map((x) => {
        let s = 0;
        let squares = 0;
        let k = 0;
        x.forEach((value, i) => {
          if (gap(i)) {
            k++;
            s += value;
            squares += value * value;
          }
        });
        return Math.sqrt(squares / k - (s / k) ** 2);
      }),
    },
    mosaic: {
      overlap: report!.lines.map((line) => line.value),
      measured: {
        before: [0, 1, 2, 3, 4, 5, 6].map((k) => rmse(west.bands[k]!, east.bands[k]!, overlap)),
      },
      lightBefore: west.bands.map((band, k) => uneven(band, even0[k]!)),
      lightAfter: even.map((x, k) => uneven(x, even0[k]!)),
      wholeBefore: raw.map((x, k) => uneven(x, even0[k]!)),
      wholeAfter: mosaic.map((x, k) => uneven(x, even0[k]!)),
    },
  }),
);

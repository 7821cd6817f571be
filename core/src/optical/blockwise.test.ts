import { utm } from "../geodesy/crs";
import type { ImageInfo } from "../graph/image";
import { type NodeSpec, node, sourceNode } from "../graph/node";
import { STEPS } from "../graph/registry";
import { type Grid, northUp } from "../grid/grid";
import { firstDifference, kindsIn } from "../testing/inWindows";
import { lcg, memorySources } from "../testing/support";

const width = 130;
const height = 110;
const NANOMETRES = [482, 561, 655, 865, 1609, 2201];
/** Numbers of four covers: wood, crop, heath, water. */
const COVERS = [
  [0.045, 0.08, 0.06, 0.3, 0.2, 0.1],
  [0.05, 0.09, 0.08, 0.34, 0.22, 0.12],
  [0.055, 0.08, 0.11, 0.22, 0.24, 0.16],
  [0.045, 0.04, 0.03, 0.02, 0.006, 0.004],
];

const frameAt = (col: number): Grid =>
  northUp(utm(27, true), 500_000 + 30 * col, 5_170_000, 30, 30, width, height);
const infoOf = (grid: Grid): ImageInfo => ({
  grid,
  type: "float32",
  bands: [
    ...NANOMETRES.map((wavelengthNm, k) => ({
      name: `B${k + 2}`,
      unit: "DN",
      role: "dn" as const,
      wavelengthNm,
      gain: { multiply: 2e-5, add: -0.1 },
    })),
    { name: "quality", unit: "", role: "quality" as const },
  ],
  optical: { level: 1, sunElevationDeg: 50, sunAzimuthDeg: 60 },
});

/** A frame with fields, a lake, haze in a corner, a cloud, gaps across and fill above. */
function frame(seed: number): Float32Array[] {
  const random = lcg(seed);
  const field = Array.from({ length: 900 }, () => Math.floor(random() * 3));
  const quality = new Float32Array(width * height).fill(64);
  const bands = NANOMETRES.map((_nm, k) =>
    Float32Array.from({ length: width * height }, (_value, i) => {
      const col = i % width;
      const row = Math.floor(i / width);
      const cover = col > 105 ? 3 : field[Math.floor(col / 5) * 30 + Math.floor(row / 5)]!;
      const haze = Math.max(0, 0.14 - 0.004 * Math.hypot(col - 40, row - 60)) / (1 + k);
      const light = COVERS[cover]![k]! * (1 + 0.06 * (random() - 0.5)) + haze;
      return Math.round((light + 0.1) / 2e-5);
    }),
  );
  for (let i = 0; i < width * height; i++) {
    const col = i % width;
    const row = Math.floor(i / width);
    const isGap = row % 40 === 20 && col > 10 && col < 120;
    if (row < 6 || isGap) {
      quality[i] = 1;
      bands.forEach((band) => band.fill(NaN, i, i + 1));
    } else if (Math.hypot(col - 80, row - 85) < 7) {
      quality[i] = 8;
    }
  }
  return [...bands, quality];
}

const sources = memorySources({
  west: { info: infoOf(frameAt(0)), bands: frame(3) },
  east: { info: infoOf(frameAt(90)), bands: frame(4) },
  later: { info: infoOf(frameAt(0)), bands: frame(5) },
});

/** Every optical step on what comes before it, from digital numbers to a mosaic with indices. */
function chain(): Record<string, NodeSpec> {
  const mask = (source: NodeSpec) =>
    node(
      "optical.mask",
      {
        cloud: true,
        shadow: true,
        cirrus: true,
        snow: true,
        water: false,
        growCells: 2,
        borderCells: 3,
      },
      source,
    );
  const masked = mask(sourceNode("west"));
  const filled = node("optical.gaps", { masked: false }, masked, mask(sourceNode("later")));
  const reflectance = node("optical.reflectance", {}, masked);
  const hazeMap = node("optical.hazeMap", {}, reflectance);
  const haze = node("optical.haze", { strength: 1 }, hazeMap);
  const union = northUp(utm(27, true), 500_000, 5_170_000, 30, 30, width + 90, height);
  const placed = ["west", "east"].map((id) =>
    node(
      "grid.warp",
      { grid: union, kernel: "nearest" },
      node("optical.evenLight", {}, sourceNode(id)),
    ),
  );
  const surface = node("optical.surface", { method: "darkObject" }, reflectance);
  return {
    masked,
    filled,
    "filled by neighbours": node("optical.gaps", { masked: true }, masked),
    reflectance,
    hazeMap,
    haze,
    levels: node("optical.hazeLevels", {}, haze),
    surface,
    evenLight: node("optical.evenLight", {}, sourceNode("west")),
    mosaic: node("optical.mosaic", { between: true, anchor: 0, featherCells: 20 }, ...placed),
    indices: node(
      "optical.indices",
      { keep: true, outputs: [{ name: "NDVI", formula: "(nir - red) / (nir + red)" }] },
      surface,
    ),
    formula: node("optical.formula", { formula: "nir - red", name: "x" }, reflectance),
  };
}

test("every optical step gives in any window what it gives in the whole, to the bit", async () => {
  const nodes = chain();
  const kinds = new Set<string>();
  for (const [name, spec] of Object.entries(nodes)) {
    kindsIn(spec, kinds);
    for (const level of [0, 1]) {
      expect([name, await firstDifference(sources, spec, level, 4)]).toEqual([name, null]);
    }
  }
  const all = STEPS.map(({ kind }) => kind).filter((kind) => kind.startsWith("optical."));
  expect([...kinds].filter((kind) => kind.startsWith("optical.")).sort()).toEqual(all.sort());
}, 120_000);

import WebGLTileLayer, { type Style } from "ol/layer/WebGLTile";
import DataTile from "ol/source/DataTile";
import TileGrid from "ol/tilegrid/TileGrid";
import View from "ol/View";
import { LONLAT, transformer } from "@hindglance/core/geodesy/crs";
import { type Grid, toMap } from "@hindglance/core/grid/grid";

import type { ClassRule, Condition, Operator } from "@hindglance/core/change/rules";
import { CLASS_NODATA } from "@hindglance/core/raster/block";
import { NodeCells } from "./nodeCells";
import { projectionOf } from "./projection";
import type { Ramp } from "./ramps";
import type { LayerLimit } from "@hindglance/core/change/limits/all";

/**
 * Stands for nodata on the graphics card, which has no dependable NaN. Far below every decibel
 * value and elevation.
 */
export const EMPTY = -9999;
const isEmpty = (band: number): unknown[] => ["<", ["band", band], -9000];

/** Extent of a grid in map coordinates: west, south, east, north. */
export function extentOf(grid: Grid): [number, number, number, number] {
  const [x0, y0] = toMap(grid, 0, 0);
  const [x1, y1] = toMap(grid, grid.width, grid.height);
  return [Math.min(x0, x1), Math.min(y0, y1), Math.max(x0, x1), Math.max(y0, y1)];
}

/**
 * Box around a study area in the coordinates of a grid, cut to it; the grid's own where they do not
 * meet.
 */
function areaExtent(
  grid: Grid,
  polygons: [number, number][][][],
): [number, number, number, number] {
  const pointTransform = transformer(LONLAT, grid.crs);
  const e = extentOf(grid);
  const point = polygons.flatMap((polygon) => polygon[0]!).map(([x, y]) => pointTransform(x, y));
  const fraction: [number, number, number, number] = [
    Math.max(e[0], Math.min(...point.map((corner) => corner[0]))),
    Math.max(e[1], Math.min(...point.map((corner) => corner[1]))),
    Math.min(e[2], Math.max(...point.map((corner) => corner[0]))),
    Math.min(e[3], Math.max(...point.map((corner) => corner[1]))),
  ];
  return fraction[2] > fraction[0] && fraction[3] > fraction[1] ? fraction : e;
}

/**
 * View in the coordinates of a grid, on the study area where there is one; finest eight times a
 * cell, coarsest about four times the image.
 */
export function viewOf(
  grid: Grid,
  at?: { center: [number, number]; resolution: number } | null,
  area?: { coordinates: [number, number][][][] } | null,
): View {
  const e = extentOf(grid);
  const fraction = area ? areaExtent(grid, area.coordinates) : e;
  const cell = grid.transform[1];
  const widest = Math.max((e[2] - e[0]) / 250, (e[3] - e[1]) / 200, cell * 4);
  const view = new View({
    projection: projectionOf(grid.crs),
    center: at?.center ?? [(fraction[0] + fraction[2]) / 2, (fraction[1] + fraction[3]) / 2],
    minResolution: cell / 8,
    maxResolution: widest,
    resolution:
      at?.resolution ??
      Math.max((fraction[2] - fraction[0]) / 880, (fraction[3] - fraction[1]) / 600),
    constrainRotation: false,
    enableRotation: false,
    extent: [e[0] - widest * 300, e[1] - widest * 300, e[2] + widest * 300, e[3] + widest * 300],
    showFullExtent: true,
    smoothExtentConstraint: false,
  });
  return view;
}

/** Tiles of a node as float textures; nodata is EMPTY, labels come as their numbers. */
export function sourceOf(cells: NodeCells): DataTile {
  const { info, levels, block } = cells.node;
  const grid = info.grid;
  const n = info.bands.length;
  const source = new DataTile({
    projection: projectionOf(grid.crs),
    bandCount: n,
    interpolate: false,
    wrapX: false,
    transition: 0,
    tileSize: block,
    tileGrid: new TileGrid({
      origin: [grid.transform[0], grid.transform[3]],
      extent: extentOf(grid),
      resolutions: Array.from(
        { length: levels },
        (_v, z) => grid.transform[1] * 2 ** (levels - 1 - z),
      ),
      tileSize: block,
    }),
    loader: async (z, x, y, options) => {
      const tile = await cells.tile(
        levels - 1 - z,
        y,
        x,
        (options as { signal?: AbortSignal } | undefined)?.signal,
      );
      const out = new Float32Array(block * block * n).fill(EMPTY);
      tile.bands.forEach((band, k) => {
        for (let r = 0; r < tile.height; r++) {
          for (
            let c = 0, s = r * tile.width, distance = r * block * n + k;
            c < tile.width;
            c++, s++, distance += n
          ) {
            const value = band[s]!;
            out[distance] =
              value === value && !(info.type === "class8" && value === CLASS_NODATA)
                ? value
                : EMPTY;
          }
        }
      });
      return out;
    },
  });
  return source;
}

export interface Stretch {
  lo: number;
  hi: number;
}

const scaled = (band: number, k = ""): unknown[] => [
  "clamp",
  ["/", ["-", ["band", band], ["var", `lo${k}`]], ["-", ["var", `hi${k}`], ["var", `lo${k}`]]],
  0,
  1,
];

/** Scaled and bent: gamma over 1 brightens the dark end. */
const bent = (band: number, k: string): unknown[] => [
  "^",
  scaled(band, k),
  ["/", 1, ["var", "gamma"]],
];

/** One band in grey; nodata is transparent. */
export function greyLayer(source: DataTile, stretch: Stretch, band = 1): WebGLTileLayer {
  return new WebGLTileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi },
      color: [
        "case",
        isEmpty(band),
        ["color", 0, 0, 0, 0],
        ["array", scaled(band), scaled(band), scaled(band), 1],
      ],
    } as unknown as Style,
  });
}

/** One band on a ramp. */
export function rampLayer(
  source: DataTile,
  stretch: Stretch,
  ramp: Ramp,
  band = 1,
  gamma = 1,
): WebGLTileLayer {
  const n = ramp.stops.length - 1;
  return new WebGLTileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi, gamma },
      color: [
        "case",
        isEmpty(band),
        ["color", 0, 0, 0, 0],
        [
          "interpolate",
          ["linear"],
          bent(band, ""),
          ...ramp.stops.flatMap((stop, k) => [k / n, stop]),
        ],
      ],
    } as unknown as Style,
  });
}

/** One band in flat colours between break points. */
export function breaksLayer(
  source: DataTile,
  at: readonly number[],
  colours: readonly string[],
  band = 1,
): WebGLTileLayer {
  return new WebGLTileLayer({
    source,
    style: {
      color: [
        "case",
        isEmpty(band),
        ["color", 0, 0, 0, 0],
        ...at.flatMap((value, k) => [
          ["<", ["band", band], value],
          ["color", ...rgb(colours[k]!), 1],
        ]),
        ["color", ...rgb(colours[at.length]!), 1],
      ],
    } as unknown as Style,
  });
}

/** Three bands as red, green and blue. */
export function rgbLayer(
  source: DataTile,
  bands: [number, number, number],
  s: [Stretch, Stretch, Stretch],
  gamma = 1,
): WebGLTileLayer {
  return new WebGLTileLayer({
    source,
    style: {
      variables: {
        gamma,
        ...Object.fromEntries(
          s.flatMap((stretch, i) => [
            [`lo${i}`, stretch.lo],
            [`hi${i}`, stretch.hi],
          ]),
        ),
      },
      color: [
        "case",
        ["any", ...bands.map(isEmpty)],
        ["color", 0, 0, 0, 0],
        ["array", bent(bands[0], "0"), bent(bands[1], "1"), bent(bands[2], "2"), 1],
      ],
    } as unknown as Style,
  });
}

/**
 * Two dates in one picture: before is blue, after is clay, as everywhere. Where both are alike it
 * is grey; what became dark shows the
 * blue of before, what became bright the clay of after. Bands 1 and 2 are before and after.
 */
export function blendLayer(source: DataTile, stretch: Stretch): WebGLTileLayer {
  const b = scaled(1);
  const a = scaled(2);
  const mix = (k: number) => ["+", ["*", a, k], ["*", b, 1 - k]];
  return new WebGLTileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi },
      color: [
        "case",
        ["any", isEmpty(1), isEmpty(2)],
        ["color", 0, 0, 0, 0],
        ["array", mix(0.95), mix(0.5), mix(0.08), 1],
      ],
    } as unknown as Style,
  });
}

/** Ways to put two dates into one picture. */
export const TWO_DATE = ["clay", "redCyan", "withChange"] as const;
export type TwoDate = (typeof TWO_DATE)[number];
/**
 * Both dates as colours of one picture. `redCyan`: before is red, after is green and blue, so that
 * what became less is red and what became more is cyan. `withChange`: before, after and the size of
 * the change as red, green and blue. Bands 1 to 3 are before, after and measure. @param change end
 * of the measure's range, the same on both sides of nought
 */
export function twoDateLayer(
  source: DataTile,
  stretch: Stretch,
  how: TwoDate,
  change: number,
): WebGLTileLayer {
  if (how === "clay") {
    return blendLayer(source, stretch);
  }
  const b = scaled(1);
  const a = scaled(2);
  const third =
    how === "redCyan" ? a : ["clamp", ["/", ["abs", ["band", 3]], ["var", "change"]], 0, 1];
  return new WebGLTileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi, change },
      color: [
        "case",
        ["any", isEmpty(1), isEmpty(2), ...(how === "withChange" ? [isEmpty(3)] : [])],
        ["color", 0, 0, 0, 0],
        ["array", b, a, third, 1],
      ],
    } as unknown as Style,
  });
}

const rgb = (hex: string): [number, number, number] =>
  [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16)) as [number, number, number];

/** Labels of a class node in their colours; 0 is transparent. */
export function classLayer(
  source: DataTile,
  classes: { label: number; color: string }[],
  opacity = 0.85,
): WebGLTileLayer {
  if (!classes.length) {
    return new WebGLTileLayer({
      source,
      style: { color: ["color", 0, 0, 0, 0] } as unknown as Style,
    });
  }
  return new WebGLTileLayer({
    source,
    style: {
      color: [
        "case",
        ...classes.flatMap((c) => [
          ["==", ["band", 1], c.label],
          ["color", ...rgb(c.color), opacity],
        ]),
        ["color", 0, 0, 0, 0],
      ],
    } as unknown as Style,
  });
}

const variable = (rule: number, cond: number) => `t${rule}x${cond}`;
/** Stands for "no limit" on the graphics card. */
const FAR = 1e9;

/**
 * Values of the thresholds and limits for the graphics card; updating them redraws without asking
 * anybody.
 */
export function ruleVariables(
  rules: readonly ClassRule[],
  limits: readonly LayerLimit[],
): Record<string, number> {
  return {
    ...Object.fromEntries(
      limits.flatMap((limit, i) => [
        [`low${i}`, limit.min ?? -FAR],
        [`high${i}`, limit.max ?? FAR],
      ]),
    ),
    ...Object.fromEntries(
      rules.flatMap((rule, i) => rule.all.map((condition, k) => [variable(i, k), condition.value])),
    ),
  };
}

/** What of the rules and limits is built into the shader: everything but the numbers. */
export const ruleShape = (
  rules: readonly ClassRule[],
  limits: readonly LayerLimit[],
  bands: readonly string[],
): string =>
  JSON.stringify([
    rules.map((rule) => [
      rule.label,
      rule.color,
      rule.all.map((condition) => [condition.layer, condition.op]),
    ]),
    limits.map((limit) => [limit.layer, limit.labels]),
    bands,
  ]);

/**
 * Classes by rule, computed on the graphics card over the gated stack. @param bands names of its
 * bands, before, after and measure first; rules and limits on others than these do not show
 */
export function ruleLayer(
  source: DataTile,
  rules: readonly ClassRule[],
  limits: readonly LayerLimit[],
  bands: readonly string[],
  opacity = 0.85,
): WebGLTileLayer {
  const place = (name: string) => bands.indexOf(name) + 1;
  const nothing = ["color", 0, 0, 0, 0];
  const test = (condition: Condition, i: number, k: number) =>
    place(condition.layer)
      ? [
          "all",
          ["!", isEmpty(place(condition.layer))],
          [
            condition.op === "=" ? "==" : condition.op,
            ["band", place(condition.layer)],
            ["var", variable(i, k)],
          ],
        ]
      : ["==", 1, 0];
  /** Limits that drop cells of a class. A cell without a value in the layer stays. */
  const beyond = (classRule: ClassRule) =>
    limits.flatMap((limit, i) =>
      place(limit.layer) && (!limit.labels || limit.labels.includes(classRule.label))
        ? [
            [
              "all",
              ["!", isEmpty(place(limit.layer))],
              [
                "any",
                [">", ["band", place(limit.layer)], ["var", `high${i}`]],
                ["<", ["band", place(limit.layer)], ["var", `low${i}`]],
              ],
            ],
          ]
        : [],
    );
  const colour = (classRule: ClassRule) => {
    const b = beyond(classRule);
    const full = ["color", ...rgb(classRule.color), opacity];
    return b.length ? ["case", b.length === 1 ? b[0] : ["any", ...b], nothing, full] : full;
  };
  return new WebGLTileLayer({
    source,
    style: {
      variables: ruleVariables(rules, limits),
      color: [
        "case",
        ["any", isEmpty(1), isEmpty(2), isEmpty(3)],
        nothing,
        ...rules.flatMap((rule, i) => [
          rule.all.length === 1
            ? test(rule.all[0]!, i, 0)
            : ["all", ...rule.all.map((condition, k) => test(condition, i, k))],
          colour(rule),
        ]),
        nothing,
      ],
    } as unknown as Style,
  });
}

/** One band beyond a value in one colour; everything else is transparent. */
export function beyondLayer(
  source: DataTile,
  op: Operator,
  value: number,
  hex: string,
  opacity = 0.8,
): WebGLTileLayer {
  return new WebGLTileLayer({
    source,
    style: {
      variables: { at: value },
      color: [
        "case",
        ["all", ["!", isEmpty(1)], [op === "=" ? "==" : op, ["band", 1], ["var", "at"]]],
        ["color", ...rgb(hex), opacity],
        ["color", 0, 0, 0, 0],
      ],
    } as unknown as Style,
  });
}

/** Edges of one band in one colour: the steeper, the fuller; under `s.lo` nothing. */
export function edgeLayer(source: DataTile, stretch: Stretch, hex: string): WebGLTileLayer {
  const [r, group, b] = rgb(hex);
  return new WebGLTileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi },
      color: [
        "case",
        isEmpty(1),
        ["color", 0, 0, 0, 0],
        ["array", r / 255, group / 255, b / 255, scaled(1)],
      ],
    } as unknown as Style,
  });
}

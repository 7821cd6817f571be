import WebGLTileLayer, { type Style } from "ol/layer/WebGLTile";
import { BLOCK } from "@hindglance/core/grid/grid";
import type DataTile from "ol/source/DataTile";
import type { Operator } from "@hindglance/core/change/rules";
import { NOTHING, bent, isEmpty, rgb, scaled } from "./expressions";
import { DOUBT_STOPS } from "./doubtRamp";
import type { Ramp } from "./ramps";

export interface Stretch {
  lo: number;
  hi: number;
}

/** Bytes of textures that one layer keeps. */
const TEXTURE_BYTES = 96 << 20;
/** Fewest tiles that a layer keeps: those of a large screen, with their neighbours. */
const FEWEST_TILES = 24;
const BYTES_A_VALUE = 4;

/** How many tiles of a source a layer keeps on the graphics card, by their bytes. */
export function tilesKept(source: DataTile): number {
  const size = source.getTileGrid()?.getTileSize(0) ?? BLOCK;
  const [width, height] = Array.isArray(size) ? size : [size, size];
  const bytes = width! * height! * source.bandCount * BYTES_A_VALUE;
  return Math.max(FEWEST_TILES, Math.floor(TEXTURE_BYTES / bytes));
}

/** A layer of tiles in a style, that keeps no more of them than it needs. */
export const tileLayer = (look: { source: DataTile; style: Style }): WebGLTileLayer =>
  new WebGLTileLayer({ ...look, cacheSize: tilesKept(look.source) });

/** One band in grey; nodata is transparent. */
export function greyLayer(source: DataTile, stretch: Stretch, band = 1): WebGLTileLayer {
  return tileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi },
      color: [
        "case",
        isEmpty(band),
        NOTHING,
        ["array", scaled(band), scaled(band), scaled(band), 1],
      ],
    },
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
  return tileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi, gamma },
      color: [
        "case",
        isEmpty(band),
        NOTHING,
        [
          "interpolate",
          ["linear"],
          bent(band, ""),
          ...ramp.stops.flatMap((stop, k) => [k / n, stop]),
        ],
      ],
    },
  });
}

/** Doubt of cells, from the probability that each is what the map says; sure ones let the map through. */
export function doubtLayer(source: DataTile): WebGLTileLayer {
  return tileLayer({
    source,
    style: {
      color: [
        "case",
        isEmpty(1),
        NOTHING,
        [
          "interpolate",
          ["linear"],
          ["-", 1, ["band", 1]],
          ...DOUBT_STOPS.flatMap(({ doubt, color, alpha }) => [
            doubt,
            ["color", ...rgb(color), alpha],
          ]),
        ],
      ],
    },
  });
}

/** One band in flat colours between break points. */
export function breaksLayer(
  source: DataTile,
  at: readonly number[],
  colours: readonly string[],
  band = 1,
): WebGLTileLayer {
  return tileLayer({
    source,
    style: {
      color: [
        "case",
        isEmpty(band),
        NOTHING,
        ...at.flatMap((value, k) => [
          ["<", ["band", band], value],
          ["color", ...rgb(colours[k]!), 1],
        ]),
        ["color", ...rgb(colours[at.length]!), 1],
      ],
    },
  });
}

/** Three bands (counted from 1) as red, green and blue, each with its stretch. */
export function rgbLayer(
  source: DataTile,
  bands: readonly number[],
  stretches: readonly Stretch[],
  gamma = 1,
): WebGLTileLayer {
  return tileLayer({
    source,
    style: {
      variables: {
        gamma,
        ...Object.fromEntries(
          stretches.flatMap((stretch, i) => [
            [`lo${i}`, stretch.lo],
            [`hi${i}`, stretch.hi],
          ]),
        ),
      },
      color: [
        "case",
        ["any", ...bands.map(isEmpty)],
        NOTHING,
        ["array", ...bands.map((band, i) => bent(band, String(i))), 1],
      ],
    },
  });
}

/** Labels of a class node in their colours; 0 is transparent. */
export function classLayer(
  source: DataTile,
  classes: { label: number; color: string }[],
  opacity = 0.85,
): WebGLTileLayer {
  if (!classes.length) {
    return tileLayer({
      source,
      style: { color: NOTHING },
    });
  }
  return tileLayer({
    source,
    style: {
      color: [
        "case",
        ...classes.flatMap((c) => [
          ["==", ["band", 1], c.label],
          ["color", ...rgb(c.color), opacity],
        ]),
        NOTHING,
      ],
    },
  });
}

/** The ground of every map, which lies under all pictures. */
const NIGHT = [18, 24, 26];
/** How much of its colour a class keeps where it is drawn to be seen under another map. */
const MUTED = 0.4;

const muted = (color: string): string =>
  `#${[1, 3, 5]
    .map((at, k) => MUTED * Number.parseInt(color.slice(at, at + 2), 16) + (1 - MUTED) * NIGHT[k]!)
    .map((value) => Math.round(value).toString(16).padStart(2, "0"))
    .join("")}`;

/**
 * Labels of a class node in dark shades of their colours, under a map in the same colours. Opaque: tiles
 * of two levels may lie over each other.
 */
export const mutedClassLayer = (
  source: DataTile,
  classes: { label: number; color: string }[],
): WebGLTileLayer =>
  classLayer(
    source,
    classes.map(({ label, color }) => ({ label, color: muted(color) })),
    1,
  );

/** One band beyond a value in one colour; everything else is transparent. */
export function beyondLayer(
  source: DataTile,
  op: Operator,
  value: number,
  hex: string,
  opacity = 0.8,
): WebGLTileLayer {
  return tileLayer({
    source,
    style: {
      variables: { at: value },
      color: [
        "case",
        ["all", ["!", isEmpty(1)], [op === "=" ? "==" : op, ["band", 1], ["var", "at"]]],
        ["color", ...rgb(hex), opacity],
        NOTHING,
      ],
    },
  });
}

/** Edges of one band in one colour: the steeper, the fuller; under `s.lo` nothing. */
export function edgeLayer(source: DataTile, stretch: Stretch, hex: string): WebGLTileLayer {
  const [r, group, b] = rgb(hex);
  return tileLayer({
    source,
    style: {
      variables: { lo: stretch.lo, hi: stretch.hi },
      color: ["case", isEmpty(1), NOTHING, ["array", r / 255, group / 255, b / 255, scaled(1)]],
    },
  });
}

import type { Pattern } from "./patterns";
import { isOnPattern, patternColor } from "./patterns";
import { channels } from "./seeing";

/** Ends of the values of a band between which it goes from dark to bright. */
export interface Stretch {
  lo: number;
  hi: number;
}

/** Cells that a strip of a picture shows, row by row. */
export interface CellStrip {
  /** Of the cells that were read. */
  width: number;
  height: number;
  /** By column and row of the picture the cell that lies there; -1 beside the image. */
  columns: Int32Array;
  rows: Int32Array;
}

/** A picture of bands: three as red, green and blue, or one as grey. */
export interface BandPaint {
  cells: CellStrip;
  bands: readonly Float32Array[];
  stretches: readonly Stretch[];
  /** 0: as it is; 1: white. Pictures lie pale under classes. */
  pale: number;
  /** Whether colours are left out: pictures under classes, that have colours of their own. */
  isGrey: boolean;
}

/** Pixels of classes over what lies below them. */
export interface ClassPaint {
  /** Its rows reach over the strip by `margin` above and below, so that edges are seen at its ends too. */
  cells: CellStrip;
  margin: number;
  labels: Uint8Array;
  styles: ReadonlyMap<number, { color: string; pattern: Pattern }>;
  /** Millimetres of a pixel as the page is drawn, and of the first pixel from the top of the picture. */
  pixelMm: number;
  topMm: number;
  /** How much of the class is seen over what lies below it, 0 to 1. */
  cover: number;
}

/** Level of what has no value. */
const NODATA = 236;

/**
 * Paints bands into red, green and blue of a strip of a picture. Cells without a value, and what lies
 * beside the image, are left pale.
 * @param out 3 bytes a pixel, row by row
 */
export function paintBands(paint: BandPaint, out: Uint8Array): void {
  const { cells, bands, stretches, pale, isGrey } = paint;
  const { columns, rows, width } = cells;
  const used = bands.length >= 3 ? [0, 1, 2] : [0, 0, 0];
  let at = 0;
  for (const row of rows) {
    for (const column of columns) {
      const cell = row < 0 || column < 0 ? -1 : row * width + column;
      const own = at;
      for (const band of used) {
        const value = cell < 0 ? NaN : bands[band]![cell]!;
        const { lo, hi } = stretches[band]!;
        const share = Math.min(1, Math.max(0, (value - lo) / (hi - lo)));
        // A comparison that NaN fails.
        out[at++] = share >= 0 ? 255 * (share + (1 - share) * pale) : NODATA;
      }
      if (isGrey) {
        out.fill(0.2126 * out[own]! + 0.7152 * out[own + 1]! + 0.0722 * out[own + 2]!, own, at);
      }
    }
  }
}

/** Width of the edge of a class, millimetres as the page is drawn. */
const EDGE_MM = 0.09;
const EDGE_SHADE = 0.45;

/** Width of the edge of a class in pixels: rows by which strips reach over their ends. */
export const edgePixels = (pixelMm: number): number => Math.max(1, Math.round(EDGE_MM / pixelMm));

interface Inks {
  own: [number, number, number];
  edge: [number, number, number];
  line: [number, number, number];
  pattern: Pattern;
}

const inksOf = (color: string, pattern: Pattern): Inks => {
  const own = channels(color);
  const [red, green, blue] = own.map((channel) => channel * EDGE_SHADE);
  return { own, edge: [red!, green!, blue!], line: channels(patternColor(color)), pattern };
};

/**
 * Paints classes over a strip of a picture, with a thin edge in a darker shade so that they stand out in
 * grey too, and with their patterns.
 * @param labels classes of cells; those without a style are left as they are
 * @param out 3 bytes a pixel, row by row
 */
export function paintClasses(paint: ClassPaint, out: Uint8Array): void {
  const { cells, labels, styles, pixelMm, topMm, cover, margin } = paint;
  const { columns, rows, width } = cells;
  const height = rows.length - 2 * margin;
  const inks = new Map([...styles].map(([label, one]) => [label, inksOf(one.color, one.pattern)]));
  const reach = Math.min(margin, edgePixels(pixelMm));
  const labelAt = (r: number, c: number): number => {
    const row = rows[r + margin]!;
    const column = columns[Math.min(columns.length - 1, Math.max(0, c))]!;
    return row < 0 || column < 0 ? 0 : labels[row * width + column]!;
  };
  for (let r = 0; r < height; r++) {
    const y = topMm + (r + 0.5) * pixelMm;
    for (let c = 0; c < columns.length; c++) {
      const label = labelAt(r, c);
      const ink = inks.get(label);
      if (!ink) {
        continue;
      }
      const isEdge =
        labelAt(r - reach, c) !== label ||
        labelAt(r + reach, c) !== label ||
        labelAt(r, c - reach) !== label ||
        labelAt(r, c + reach) !== label;
      const x = (c + 0.5) * pixelMm;
      const isLine = ink.pattern !== "plain" && isOnPattern(ink.pattern, x, y);
      mix(out, 3 * (r * columns.length + c), inkOf(ink, isEdge, isLine), cover);
    }
  }
}

function inkOf(ink: Inks, isEdge: boolean, isLine: boolean): Inks["own"] {
  if (isEdge) {
    return ink.edge;
  }
  return isLine ? ink.line : ink.own;
}

function mix(out: Uint8Array, at: number, ink: Inks["own"], cover: number): void {
  for (let k = 0; k < 3; k++) {
    out[at + k] = out[at + k]! + (ink[k]! - out[at + k]!) * cover;
  }
}

import type { Evaluator } from "@hindglance/core/graph/evaluator";
import type { NodeSpec } from "@hindglance/core/graph/node";
import { type Grid, type Window, levelCount, levelGrid, toCell } from "@hindglance/core/grid/grid";
import { labelCells, realCells } from "@hindglance/core/raster/block";
import type { PictureMark } from "@hindglance/core/sheet/marks";
import {
  type CellStrip,
  type Stretch,
  edgePixels,
  paintBands,
  paintClasses,
} from "@hindglance/core/sheet/paint";
import type { Pattern } from "@hindglance/core/sheet/patterns";
import { channels } from "@hindglance/core/sheet/seeing";
import { type BandPicture, stretchesOf } from "./stretches";

/** A date as it is drawn: by its bands, or by its classes. */
export type DatePicture = BandPicture | { kind: "classes"; node: NodeSpec; styles: ClassStyles };

/** Colour and pattern of classes by their labels. */
export type ClassStyles = ReadonlyMap<number, { color: string; pattern: Pattern }>;

/** Images of the pictures of a sheet, all on one grid, north up. */
export interface SheetImages {
  grid: Grid;
  before: DatePicture | null;
  after: DatePicture | null;
  classes: { node: NodeSpec; styles: ClassStyles };
}

/** Pixels of a picture: the first one's upper left corner on the page, and how large they are, millimetres. */
export interface Pixels {
  x: number;
  y: number;
  pixelMm: number;
  width: number;
  height: number;
}

/** Pixels that cover a picture, from its own corner. */
export const pixelsOf = ({ x, y, width, height }: PictureMark, pixelMm: number): Pixels => ({
  ...{ x, y, pixelMm },
  width: Math.max(1, Math.ceil(width / pixelMm - 1e-6)),
  height: Math.max(1, Math.ceil(height / pixelMm - 1e-6)),
});

/** How pale pictures lie under classes, and how much of a class is seen over them. */
const PALE = 0.35;
const COVER = 0.85;

/** Where pixels lie in cells of a level of a grid. */
interface Looked {
  level: number;
  window: Window | null;
  cells: CellStrip;
}

/** Cells that pixels of some rows show, and the window that they are read from. */
function lookedAt(
  grid: Grid,
  { ground, x, y, width }: PictureMark,
  pixels: Pixels,
  [from, to]: readonly [number, number],
): Looked {
  const perMm = (ground[2] - ground[0]) / width;
  const cellsPerPixel = (pixels.pixelMm * perMm) / Math.abs(grid.transform[1]);
  const level = Math.min(
    levelCount(grid.width, grid.height) - 1,
    Math.max(0, Math.floor(Math.log2(cellsPerPixel) + 1e-9)),
  );
  const own = levelGrid(grid, level);
  const cellAt = (px: number, py: number) =>
    toCell(own, ground[0] + (px - x) * perMm, ground[3] - (py - y) * perMm);
  const columns = Int32Array.from({ length: pixels.width }, (_v, k) =>
    Math.floor(cellAt(pixels.x + (k + 0.5) * pixels.pixelMm, y)[0]),
  );
  const rows = Int32Array.from({ length: to - from }, (_v, k) =>
    Math.floor(cellAt(x, pixels.y + (from + k + 0.5) * pixels.pixelMm)[1]),
  );
  const window = inside(columns, rows, own);
  return {
    level,
    window,
    cells: {
      width: window?.width ?? 0,
      height: window?.height ?? 0,
      columns: columns.map((column) => within(column, window?.col, window?.width)),
      rows: rows.map((row) => within(row, window?.row, window?.height)),
    },
  };
}

/** Place in a window, -1 beside it. */
const within = (at: number, first = 0, length = 0): number =>
  at >= first && at < first + length ? at - first : -1;

/** The window of cells that columns and rows lie in, cut to the grid; null where none does. */
function inside(columns: Int32Array, rows: Int32Array, { width, height }: Grid): Window | null {
  const col = Math.max(0, columns[0]!);
  const row = Math.max(0, rows[0]!);
  const right = Math.min(width, columns.at(-1)! + 1);
  const bottom = Math.min(height, rows.at(-1)! + 1);
  return right > col && bottom > row
    ? { col, row, width: right - col, height: bottom - row }
    : null;
}

/** Paints pictures of a sheet, strip by strip. */
export class SheetPictures {
  private stretches: Promise<Stretch[]> | null = null;

  constructor(
    private readonly evaluator: Evaluator,
    private readonly images: SheetImages,
  ) {}

  /** Stretches that both dates have in common. */
  private stretched(): Promise<Stretch[]> {
    const dates = [this.images.before, this.images.after].filter(
      (date): date is BandPicture => date?.kind === "bands",
    );
    if (!this.stretches) {
      this.stretches = stretchesOf(this.evaluator, dates);
      this.stretches.catch(() => {
        this.stretches = null;
      });
    }
    return this.stretches;
  }

  /**
   * Rows of a picture, red, green and blue of each pixel. What no image has is left as pale as what has no
   * value.
   */
  async strip(
    mark: PictureMark,
    pixels: Pixels,
    [from, to]: readonly [number, number],
  ): Promise<Uint8Array> {
    const out = new Uint8Array(3 * pixels.width * (to - from)).fill(BLANK);
    const { before, after } = this.images;
    const isChange = mark.side === "change";
    const date = mark.side === "before" ? before : (after ?? (isChange ? before : null));
    // Classified dates have classes of their own, that would lie under those of the change.
    if (date && !(isChange && date.kind === "classes")) {
      await this.paintDate(date, { mark, pixels, rows: [from, to] }, out);
    }
    if (isChange) {
      await this.paintLabels(
        { ...this.images.classes, cover: COVER },
        mark,
        pixels,
        [from, to],
        out,
      );
    }
    return out;
  }

  /** A whole picture by itself, red, green, blue and whether anything is there: classes alone, or a date. */
  async clear(mark: PictureMark, pixels: Pixels): Promise<Uint8Array> {
    const out = new Uint8Array(4 * pixels.width * pixels.height);
    const { classes, before, after } = this.images;
    const looked = lookedAt(this.images.grid, mark, pixels, [0, pixels.height]);
    const date = mark.side === "before" ? before : after;
    if (looked.window && mark.side === "change") {
      await this.clearLabels(classes, looked, out);
    } else if (looked.window && date?.kind === "classes") {
      await this.clearLabels(date, looked, out);
    } else if (looked.window && date?.kind === "bands") {
      await this.clearBands(date, looked, out);
    }
    return out;
  }

  private async clearLabels(
    { node, styles }: { node: NodeSpec; styles: ClassStyles },
    { level, window, cells }: Looked,
    out: Uint8Array,
  ): Promise<void> {
    const labels = labelCells((await this.evaluator.read(node, level, window!)).bands[0]!);
    const inks = new Map([...styles].map(([label, { color }]) => [label, channels(color)]));
    eachCell(cells, (cell, at) => {
      const ink = inks.get(labels[cell]!);
      if (ink) {
        out.set([...ink, OPAQUE], 4 * at);
      }
    });
  }

  private async clearBands(date: BandPicture, looked: Looked, out: Uint8Array): Promise<void> {
    const { level, window, cells } = looked;
    const block = await this.evaluator.read(date.node, level, window!);
    const bands = date.bands.map((band) => realCells(block.bands[band]!));
    const rgb = new Uint8Array((3 * out.length) / 4);
    const stretches = await this.stretched();
    paintBands({ cells, bands, stretches, pale: 0, isGrey: false }, rgb);
    eachCell(cells, (cell, at) => {
      if (bands.every((band) => !Number.isNaN(band[cell]!))) {
        out.set(rgb.subarray(3 * at, 3 * at + 3), 4 * at);
        out[4 * at + 3] = OPAQUE;
      }
    });
  }

  private async paintDate(
    date: DatePicture,
    { mark, pixels, rows }: { mark: PictureMark; pixels: Pixels; rows: readonly [number, number] },
    out: Uint8Array,
  ): Promise<void> {
    if (date.kind === "classes") {
      await this.paintLabels({ ...date, cover: 1 }, mark, pixels, rows, out);
      return;
    }
    const { level, window, cells } = lookedAt(this.images.grid, mark, pixels, rows);
    if (!window) {
      return;
    }
    const block = await this.evaluator.read(date.node, level, window);
    const isChange = mark.side === "change";
    const bands = date.bands.map((band) => realCells(block.bands[band]!));
    const stretches = await this.stretched();
    paintBands({ cells, bands, stretches, pale: isChange ? PALE : 0, isGrey: isChange }, out);
  }

  private async paintLabels(
    { node, styles, cover }: { node: NodeSpec; styles: ClassStyles; cover: number },
    mark: PictureMark,
    pixels: Pixels,
    [from, to]: readonly [number, number],
    out: Uint8Array,
  ): Promise<void> {
    const margin = edgePixels(pixels.pixelMm);
    const reached = [from - margin, to + margin] as const;
    const { level, window, cells } = lookedAt(this.images.grid, mark, pixels, reached);
    if (!window) {
      return;
    }
    const block = await this.evaluator.read(node, level, window);
    const topMm = pixels.y - mark.y + from * pixels.pixelMm;
    const labels = labelCells(block.bands[0]!);
    paintClasses({ cells, margin, labels, styles, pixelMm: pixels.pixelMm, topMm, cover }, out);
  }
}
const BLANK = 236;
const OPAQUE = 255;

/** Calls for each pixel that has a cell, with both their places. */
function eachCell({ columns, rows, width }: CellStrip, of: (cell: number, at: number) => void) {
  rows.forEach((row, r) => {
    if (row >= 0) {
      columns.forEach((column, c) => {
        if (column >= 0) {
          of(row * width + column, r * columns.length + c);
        }
      });
    }
  });
}

/** Pixels of a strip: some million cells at a time. */
const STRIP_PIXELS = 1.5e6;

/** Rows of a picture from the top, some at a time. */
export async function* pictureRows(
  pictures: SheetPictures,
  mark: PictureMark,
  pixels: Pixels,
): AsyncGenerator<Uint8Array> {
  const high = Math.max(16, Math.floor(STRIP_PIXELS / pixels.width));
  for (let from = 0; from < pixels.height; from += high) {
    yield await pictures.strip(mark, pixels, [from, Math.min(pixels.height, from + high)]);
  }
}

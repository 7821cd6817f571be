import { Resvg } from "@resvg/resvg-js";
import { writePng } from "@hindglance/formats/raster/writePng";
import type { Composition, Page } from "@hindglance/core/sheet/compose";
import type { PictureMark } from "@hindglance/core/sheet/marks";
import { leaves } from "@hindglance/core/sheet/marks";
import { type DrawnPicture, pageSvg } from "@hindglance/core/sheet/svg";
import { fontPaths } from "./fonts";
import { type SheetPictures, pictureRows, pixelsOf } from "./pictures";

/** What pages are drawn with. */
export interface PageDrawing {
  composition: Composition;
  pictures: SheetPictures;
  signal: AbortSignal;
  progress(share: number): void;
}

const INCH_MM = 25.4;
/** Rows of a page that are drawn in one go. */
const STRIP_PIXELS = 3e6;

/** Rows of pixels as a PNG in memory. */
export async function pngOf(
  { width, height }: { width: number; height: number },
  rows: AsyncIterable<Uint8Array>,
): Promise<Buffer> {
  const parts: Uint8Array[] = [];
  for await (const part of writePng({ width, height, rows })) {
    parts.push(part);
  }
  return Buffer.concat(parts);
}

const dataAddress = (png: Buffer): string => `data:image/png;base64,${png.toString("base64")}`;

async function* once(bytes: Uint8Array) {
  yield await Promise.resolve(bytes);
}

/** Where pixels of a page lie. */
interface PagePixels {
  width: number;
  height: number;
  pixelMm: number;
}

/** Pictures of a page as they are seen in some rows of its pixels. */
async function picturesIn(
  page: Page,
  { pictures }: PageDrawing,
  { pixelMm }: PagePixels,
  [from, to]: readonly [number, number],
): Promise<Map<PictureMark, DrawnPicture>> {
  const found = new Map<PictureMark, DrawnPicture>();
  const at = (mm: number) => Math.round(mm / pixelMm);
  for (const mark of leaves(page.marks)) {
    if (mark.kind !== "picture") {
      continue;
    }
    // Pixels of the picture are pixels of the page.
    const [left, top] = [at(mark.x), at(mark.y)];
    const [width, height] = [at(mark.x + mark.width) - left, at(mark.y + mark.height) - top];
    const [first, last] = [Math.max(from, top), Math.min(to, top + height)];
    if (last > first && width > 0) {
      const pixels = { x: left * pixelMm, y: top * pixelMm, pixelMm, width, height };
      const rows = await pictures.strip(mark, pixels, [first - top, last - top]);
      const png = await pngOf({ width, height: last - first }, once(rows));
      found.set(mark, {
        ...{ href: dataAddress(png), x: left * pixelMm, y: first * pixelMm },
        ...{ width: width * pixelMm, height: (last - first) * pixelMm },
      });
    }
  }
  return found;
}

/** Rows of a page as it is printed, red, green and blue of each pixel, some at a time. */
async function* pageRows(
  page: Page,
  drawing: PageDrawing,
  all: PagePixels,
): AsyncGenerator<Uint8Array> {
  const { signal, progress, composition } = drawing;
  const { width, height, pixelMm } = all;
  const high = Math.max(16, Math.floor(STRIP_PIXELS / width));
  for (let from = 0; from < height; from += high) {
    signal.throwIfAborted();
    const to = Math.min(height, from + high);
    const seen = await picturesIn(page, drawing, all, [from, to]);
    const svg = pageSvg(page.marks, {
      ...{ width: page.width, height: page.height, scale: 1, title: composition.title },
      picture: (mark) => seen.get(mark) ?? null,
      part: { x: 0, y: from * pixelMm, width: width * pixelMm, height: (to - from) * pixelMm },
      size: { width, height: to - from },
    });
    const drawn = new Resvg(svg, {
      font: { fontFiles: fontPaths(), loadSystemFonts: false, defaultFontFamily: "Hanken Grotesk" },
    }).render();
    yield opaque(drawn.pixels, width * (to - from));
    progress(to / height);
  }
}

/** Red, green and blue of pixels that let nothing through. */
function opaque(rgba: Uint8Array, pixels: number): Uint8Array {
  const out = new Uint8Array(3 * pixels);
  for (let k = 0, at = 0, own = 0; k < pixels; k++, own += 4) {
    out[at++] = rgba[own]!;
    out[at++] = rgba[own + 1]!;
    out[at++] = rgba[own + 2]!;
  }
  return out;
}

/**
 * A page as PNG, so many dots an inch of print: pictures pixel by pixel, words and lines over them.
 * Memory holds some rows at a time.
 */
export function pagePng(page: Page, drawing: PageDrawing, dpi: number): AsyncIterable<Uint8Array> {
  const pixelMm = INCH_MM / dpi / drawing.composition.scale;
  const width = Math.round(page.width / pixelMm);
  const height = Math.round(page.height / pixelMm);
  const rows = pageRows(page, drawing, { width, height, pixelMm });
  return writePng({ width, height, rows, perMetre: (dpi / INCH_MM) * 1000 });
}

/** A page as SVG that stands by itself: pictures and fonts are in it. */
export async function pageSvgText(
  page: Page,
  { pictures, composition, signal }: PageDrawing,
  { dpi, css }: { dpi: number; css: string },
): Promise<string> {
  const pixelMm = INCH_MM / dpi / composition.scale;
  const drawn = new Map<PictureMark, DrawnPicture>();
  for (const mark of leaves(page.marks)) {
    if (mark.kind === "picture") {
      signal.throwIfAborted();
      const pixels = pixelsOf(mark, pixelMm);
      const png = await pngOf(pixels, pictureRows(pictures, mark, pixels));
      drawn.set(mark, { href: dataAddress(png), ...mark });
    }
  }
  return pageSvg(page.marks, {
    ...{ width: page.width, height: page.height, scale: composition.scale },
    ...{ title: composition.title, css },
    picture: (mark) => drawn.get(mark) ?? null,
  });
}

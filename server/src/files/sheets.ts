import type { Page } from "@hindglance/core/sheet/compose";
import { composedOf, type Composed } from "../sheet/composed";
import { fontCss } from "../sheet/fonts";
import { pdfBytes } from "../sheet/pdf";
import { pagePng, pageSvgText } from "../sheet/png";
import type { FileKind, FileSource } from "./kind";
import { fileNameOf } from "./names";
import { type ZipEntry, zipped } from "./zip";

/** Dots an inch of print. */
const PRINT_DPI = 300;
/** Pixels across a slide. */
const SLIDE_PIXELS = 1920;
const INCH_MM = 25.4;

const composed = (source: FileSource, what: "sheet" | "slides"): Promise<Composed> =>
  composedOf(source, source.map, source.info, what);

const writtenAt = ({ map }: FileSource): Date => new Date(map.provenance.writtenAt);

async function* pdf(source: FileSource, what: "sheet" | "slides") {
  const { signal, progress } = source;
  yield* pdfBytes({
    ...(await composed(source, what)),
    ...{ dpi: PRINT_DPI, at: writtenAt(source), signal, progress },
  });
}

/** Name of a page, numbered from 1, in an archive. */
const pageName = ({ map }: FileSource, k: number, extension: string): string =>
  fileNameOf(map, `${String(k + 1).padStart(2, "0")}.${extension}`);

/** Pages as pictures of their own, numbered where there are several. */
function* pagePictures(
  source: FileSource,
  own: Composed,
  dpi: (page: Page) => number,
): Generator<ZipEntry> {
  const { pages } = own.composition;
  for (const [k, page] of pages.entries()) {
    const name = pageName(source, k, "png");
    const progress = (share: number) => source.progress((k + share) / pages.length);
    const bytes = pagePng(page, { ...own, signal: source.signal, progress }, dpi(page));
    yield { name, bytes, isPacked: true };
  }
}

/** A page as SVG, in one piece. */
async function* svgOf(
  page: Page,
  own: Composed,
  { signal }: FileSource,
): AsyncGenerator<Uint8Array> {
  const drawing = { ...own, signal, progress: () => {} };
  yield Buffer.from(await pageSvgText(page, drawing, { dpi: PRINT_DPI, css: fontCss() }));
}

/** The sheet of a map as PDF. */
export const sheetPdf: FileKind = {
  extension: "sheet.pdf",
  media: "application/pdf",
  title: "sheet",
  isPacked: true,
  bytes: (source) => pdf(source, "sheet"),
};

/** The first page of the sheet of a map as PNG. */
export const sheetPng: FileKind = {
  extension: "sheet.png",
  media: "image/png",
  title: "sheet as a picture",
  isPacked: true,
  async *bytes(source) {
    const own = await composed(source, "sheet");
    yield* pagePng(own.composition.pages[0]!, { ...own, ...source }, PRINT_DPI);
  },
};

/** The first page of the sheet of a map as SVG. */
export const sheetSvg: FileKind = {
  extension: "sheet.svg",
  media: "image/svg+xml",
  title: "sheet as drawing",
  isPacked: false,
  async *bytes(source) {
    const own = await composed(source, "sheet");
    yield* svgOf(own.composition.pages[0]!, own, source);
  },
};

/** Every page of a sheet of several, as PNG and as SVG, in one archive. */
export const sheetPages: FileKind = {
  extension: "sheet.zip",
  media: "application/zip",
  title: "pages of the sheet",
  isPacked: true,
  async lacks(source) {
    const { pages } = (await composed(source, "sheet")).composition;
    return pages.length > 1 ? null : "The sheet has one page: its PNG and SVG hold all of it";
  },
  async *bytes(source) {
    const own = await composed(source, "sheet");
    const drawings = own.composition.pages.map((page, k): ZipEntry => {
      const name = pageName(source, k, "svg");
      return { name, bytes: svgOf(page, own, source), isPacked: false };
    });
    const pictures = pagePictures(source, own, () => PRINT_DPI);
    yield* zipped([...pictures, ...drawings], writtenAt(source));
  },
};

/** Maps of the sheet one by one, then its numbers, as PDF. */
export const slides: FileKind = {
  extension: "slides.pdf",
  media: "application/pdf",
  title: "slides",
  isPacked: true,
  bytes: (source) => pdf(source, "slides"),
};

/** The same as pictures in one archive. */
export const slidePictures: FileKind = {
  extension: "slides.zip",
  media: "application/zip",
  title: "slides as pictures",
  isPacked: true,
  async *bytes(source) {
    const own = await composed(source, "slides");
    const { scale } = own.composition;
    const dpi = ({ width }: Page) => (SLIDE_PIXELS / (width * scale)) * INCH_MM;
    yield* zipped([...pagePictures(source, own, dpi)], writtenAt(source));
  },
};

import PDFDocument from "pdfkit";
import type { Composition, Page } from "@hindglance/core/sheet/compose";
import {
  type GroupMark,
  type Mark,
  type PathMark,
  type PictureMark,
  type RectMark,
  type Role,
  type TextMark,
  leaves,
} from "@hindglance/core/sheet/marks";
import { fontPath } from "./fonts";
import { type Pixels, type SheetPictures, pictureRows, pixelsOf } from "./pictures";
import { pngOf } from "./png";

/** What a document of pages is written with. */
export interface PdfOptions {
  composition: Composition;
  pictures: SheetPictures;
  /** Of pictures, dots an inch of the printed page. */
  dpi: number;
  /** When it was made, as it says of itself. */
  at: Date;
  signal: AbortSignal;
  progress(share: number): void;
}

type Structure = PDFKit.PDFStructureElement;

/** Points of a millimetre. */
const POINTS = 72 / 25.4;

const TAGS: Record<Exclude<Role, "decor">, string> = {
  title: "H1",
  heading: "H2",
  paragraph: "P",
  figure: "Figure",
  table: "Table",
  row: "TR",
  head: "TH",
  cell: "TD",
  section: "Sect",
};

/** Draws marks onto the page of a document that is open, and tells what they are. */
class Drawer {
  constructor(
    private readonly doc: PDFKit.PDFDocument,
    private readonly images: ReadonlyMap<PictureMark, { bytes: Buffer; pixels: Pixels }>,
  ) {}

  /** Marks of a page below an element of the structure. */
  page(marks: readonly Mark[], parent: Structure): void {
    for (const mark of marks) {
      if (mark.kind === "group") {
        this.group(mark, parent);
      } else {
        this.artifact([mark]);
      }
    }
  }

  private group(mark: GroupMark, parent: Structure): void {
    const { doc } = this;
    const { clip, role } = mark;
    if (clip) {
      doc.save();
      doc.rect(clip.x, clip.y, clip.width, clip.height).clip();
    }
    if (role === "decor") {
      this.artifact(mark.marks);
    } else {
      this.told(mark, TAGS[role], parent);
    }
    if (clip) {
      doc.restore();
    }
  }

  /** A group that is read: its own marks are its content, groups in it elements of their own. */
  private told({ alt, marks }: GroupMark, tag: string, parent: Structure): void {
    const { doc } = this;
    const element = doc.struct(tag, alt ? { alt } : {});
    const own = marks.filter((mark) => mark.kind !== "group");
    if (own.length > 0) {
      const content = doc.markStructureContent(tag);
      own.forEach((mark) => this.leaf(mark));
      doc.endMarkedContent();
      element.add(content);
    }
    for (const mark of marks) {
      if (mark.kind === "group") {
        this.group(mark, element);
      }
    }
    element.end();
    parent.add(element);
  }

  private artifact(marks: readonly Mark[]): void {
    this.doc.markContent("Artifact", { type: "Layout" });
    const draw = (all: readonly Mark[]): void => {
      for (const mark of all) {
        if (mark.kind === "group") {
          draw(mark.marks);
        } else {
          this.leaf(mark);
        }
      }
    };
    draw(marks);
    this.doc.endMarkedContent();
  }

  private leaf(mark: Exclude<Mark, GroupMark>): void {
    switch (mark.kind) {
      case "text":
        return this.text(mark);
      case "rect":
        return this.rect(mark);
      case "path":
        return this.path(mark);
      case "picture":
        return this.picture(mark);
    }
  }

  private text({ x, y, text, family, size, weight, color, turn }: TextMark): void {
    const { doc } = this;
    doc.save();
    if (turn) {
      doc.rotate(turn, { origin: [x, y] });
    }
    doc.font(`${family} ${weight}`).fontSize(size).fillColor(color);
    doc.text(text, x, y, { lineBreak: false, baseline: "alphabetic" });
    doc.restore();
  }

  private rect({ x, y, width, height, fill, stroke, line = 0.1, opacity = 1 }: RectMark): void {
    const { doc } = this;
    doc.save();
    if (fill) {
      doc.rect(x, y, width, height).fillOpacity(opacity).fill(fill);
    }
    if (stroke) {
      doc.rect(x, y, width, height).lineWidth(line).stroke(stroke);
    }
    doc.restore();
  }

  private path({ parts, isClosed, fill, stroke, line = 0.1, dash }: PathMark): void {
    const { doc } = this;
    const trace = () => {
      for (const [first, ...rest] of parts) {
        if (first) {
          doc.moveTo(...first);
          rest.forEach((place) => doc.lineTo(...place));
          if (isClosed) {
            doc.closePath();
          }
        }
      }
    };
    doc.save();
    if (fill) {
      trace();
      doc.fill(fill, "even-odd");
    }
    if (stroke) {
      trace();
      doc.lineWidth(line).lineJoin("round");
      if (dash) {
        doc.dash(dash[0]!, { space: dash[1] ?? dash[0]! });
      }
      doc.stroke(stroke);
    }
    doc.restore();
  }

  private picture(mark: PictureMark): void {
    const { doc } = this;
    const { bytes, pixels } = this.images.get(mark)!;
    doc.save();
    doc.rect(mark.x, mark.y, mark.width, mark.height).clip();
    doc.image(bytes, mark.x, mark.y, {
      width: pixels.width * pixels.pixelMm,
      height: pixels.height * pixels.pixelMm,
    });
    doc.restore();
  }
}

/** Pictures of a page as PNG, so many dots an inch as it is printed. */
async function imagesOf(page: Page, { pictures, dpi, composition, signal }: PdfOptions) {
  const pixelMm = 25.4 / dpi / composition.scale;
  const images = new Map<PictureMark, { bytes: Buffer; pixels: Pixels }>();
  for (const mark of leaves(page.marks)) {
    if (mark.kind === "picture") {
      signal.throwIfAborted();
      const pixels = pixelsOf(mark, pixelMm);
      images.set(mark, { bytes: await pngOf(pixels, pictureRows(pictures, mark, pixels)), pixels });
    }
  }
  return images;
}

/** That it can be read aloud (ISO 14289-1); the types of the writer lack it. */
const TOLD: object = { subset: "PDF/UA" };

/** An empty document that is read aloud in order, with its fonts. */
function documentOf({ composition, at }: PdfOptions): PDFKit.PDFDocument {
  const doc = new PDFDocument({
    ...{ autoFirstPage: false, pdfVersion: "1.7", tagged: true, margin: 0 },
    ...{ lang: "en", displayTitle: true, font: fontPath("Hanken Grotesk", 400) },
    ...TOLD,
    info: { Title: composition.title, Creator: "Hind Glance", CreationDate: at, ModDate: at },
  });
  for (const family of ["Hanken Grotesk", "Noto Sans"] as const) {
    for (const weight of [400, 600] as const) {
      doc.registerFont(`${family} ${weight}`, fontPath(family, weight));
    }
  }
  return doc;
}

/**
 * Pages as a PDF: words and lines as such with their fonts in it, pictures at the dots an inch of print,
 * told in order to whoever has it read to them.
 */
export async function* pdfBytes(options: PdfOptions): AsyncGenerator<Uint8Array> {
  const { composition, progress } = options;
  const { pages, scale } = composition;
  const doc = documentOf(options);
  const root = doc.struct("Document");
  doc.addStructure(root);
  for (const [k, page] of pages.entries()) {
    const images = await imagesOf(page, options);
    const size: [number, number] = [page.width * scale * POINTS, page.height * scale * POINTS];
    doc.addPage({ size, margin: 0 });
    doc.save();
    doc.scale(scale * POINTS);
    new Drawer(doc, images).page(page.marks, root);
    doc.restore();
    progress((k + 1) / (pages.length + 1));
  }
  root.end();
  doc.end();
  for await (const part of doc) {
    yield part;
  }
}

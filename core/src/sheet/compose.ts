import type { SheetFacts, SheetSection } from "./facts";
import { type Row, fill, goingOn, paragraph } from "./flow";
import { ASCENT, type Fonts, LEADING, linesAt, textAt, wrapped } from "./fonts";
import {
  COLUMNS,
  type FrameKind,
  type MapKind,
  PAPERS,
  ROWS,
  type Sheet,
  type SheetFrame,
  type TextKey,
  isMapKind,
  pageSize,
} from "./layout";
import { locator } from "./locator";
import { type MapDrawing, mapFrame, mapPlaced } from "./mapFrame";
import { type Box, type Mark, type TextStyle, group } from "./marks";
import type { Placed } from "./scale";
import { INK, STYLES } from "./style";
import { legendRows, numberRows } from "./tables";
import { groundOf, metresOfFacts } from "./views";

/** Millimetres around a page and between its frames, on A4. */
const MARGIN = 9;
const GUTTER = 3;

/** Words on a page that people may set, and where they stand. */
export interface EditableText extends Box {
  key: TextKey;
  style: TextStyle;
  /** What stands there; "" where nothing does. */
  value: string;
}

/** A page with its frames, in millimetres of A4. */
export interface Page {
  width: number;
  height: number;
  marks: Mark[];
  frames: (Box & { kind: FrameKind })[];
  texts: EditableText[];
  /** Ground of its maps. */
  maps: { kind: MapKind; placed: Placed }[];
}

/** A sheet as it is drawn: pages in millimetres of A4, and how many times larger they are printed. */
export interface Composition {
  title: string;
  scale: number;
  pages: Page[];
  /** Letters that none of the fonts has. */
  lacking: string[];
}

interface Drawing extends MapDrawing {
  sheet: Sheet;
  size: Size;
}

interface Size {
  width: number;
  height: number;
}

/** How pages are made that are no paper, and have no scale and no numbers; absent: pages of the layout's paper, with their numbers. */
export interface PageOptions {
  size: Size;
  isNumbered: boolean;
}

/** Box of a frame on a page of a size. */
export function boxOf({ column, row, columns, rows }: SheetFrame, size: Size): Box {
  const across = (size.width - 2 * MARGIN + GUTTER) / COLUMNS;
  const down = (size.height - 2 * MARGIN + GUTTER) / ROWS;
  return {
    x: MARGIN + column * across,
    y: MARGIN + row * down,
    width: columns * across - GUTTER,
    height: rows * down - GUTTER,
  };
}

/** What stands in a text: what was set, else what is proposed. */
const said = ({ sheet, facts }: Drawing, key: TextKey): string => {
  const proposed = key === "title" || key === "subtitle" ? facts[key] : "";
  return sheet.texts[key] ?? proposed;
};

const sectionRows = (fonts: Fonts, sections: readonly SheetSection[], width: number): Row[] =>
  sections.flatMap(({ title, lines }) => [
    paragraph(fonts, title, width, STYLES.heading, "heading"),
    ...lines.map((line) => paragraph(fonts, line, width, STYLES.body)),
  ]);

/** What a frame holds: marks, words that can be set, and rows that had no room in it. */
interface Held {
  marks: Mark[];
  texts: EditableText[];
  rest: Row[];
  map?: Page["maps"][number];
}

const held = (marks: Mark[], more: Partial<Held> = {}): Held => ({
  ...{ marks, texts: [], rest: [] },
  ...more,
});

const CONTINUED = STYLES.small.size * LEADING;

/** Rows in a frame; what has no room goes on, and the frame says so. */
function flowing(fonts: Fonts, rows: Row[], box: Box): Held {
  const whole = fill(rows, box);
  if (whole.rest.length === 0) {
    return held(whole.marks);
  }
  const filled = fill(rows, { ...box, height: box.height - CONTINUED });
  const { marks } = filled;
  const at = [box.x, box.y + box.height - 0.4] as const;
  return held(
    [...marks, group("paragraph", textAt(fonts, "Continued on the next page.", at, STYLES.small))],
    { rest: goingOn(fonts, filled, box.width, STYLES.heading) },
  );
}

/** The title with what stands below it, as large as the frame lets them be. */
function titleFrame(drawing: Drawing, box: Box): Held {
  const { fonts } = drawing;
  const [title, subtitle] = [said(drawing, "title"), said(drawing, "subtitle")];
  const scaleTo = (factor: number) => ({
    title: { ...STYLES.title, size: STYLES.title.size * factor },
    subtitle: { ...STYLES.subtitle, size: STYLES.subtitle.size * factor },
  });
  const heightAt = (factor: number) => {
    const styles = scaleTo(factor);
    const first = wrapped(fonts, title, box.width, styles.title).length * styles.title.size;
    const second =
      wrapped(fonts, subtitle, box.width, styles.subtitle).length * styles.subtitle.size;
    return (first + second) * LEADING;
  };
  const factor = FACTORS.find((one) => heightAt(one) <= box.height) ?? FACTORS.at(-1)!;
  const styles = scaleTo(factor);
  const first = wrapped(fonts, title, box.width, styles.title);
  const down = first.length * styles.title.size * LEADING;
  const second = wrapped(fonts, subtitle, box.width, styles.subtitle);
  return held(
    [
      group("title", linesAt(fonts, first, [box.x, box.y], styles.title)),
      group("paragraph", linesAt(fonts, second, [box.x, box.y + down], styles.subtitle)),
    ],
    {
      texts: [
        { key: "title", value: title, style: styles.title, ...box, height: down },
        {
          ...{ key: "subtitle", value: subtitle, style: styles.subtitle, ...box },
          ...{
            y: box.y + down,
            height: Math.max(styles.subtitle.size * LEADING, box.height - down),
          },
        },
      ],
    },
  );
}
const FACTORS = [1, 0.9, 0.8, 0.7, 0.6, 0.5];

/** The foot of a page: who made it, under which terms, what made the map, and which page it is. */
function footFrame(drawing: Drawing, box: Box, pageText: string): Held {
  const { fonts, facts } = drawing;
  const style = STYLES.small;
  const third = box.width / 3;
  const top = box.y + Math.max(0, box.height - style.size * LEADING * 2);
  const [maker, licence] = [said(drawing, "maker"), said(drawing, "licence")];
  const made = pageText === "" ? facts.made : `${facts.made} · ${pageText}`;
  const column = (text: string, k: number) =>
    linesAt(
      fonts,
      wrapped(fonts, text, third - 2, style).slice(0, 2),
      [box.x + k * third, top],
      style,
    );
  const right = wrapped(fonts, made, third, style);
  const text = (key: TextKey, value: string, k: number): EditableText => ({
    ...{ key, value, style, x: box.x + k * third, y: top, width: third - 2 },
    height: 2 * style.size * LEADING,
  });
  return held(
    [
      group("decor", [
        {
          ...{ kind: "path", isClosed: false, stroke: INK, line: 0.15 },
          parts: [
            [
              [box.x, top - 0.8],
              [box.x + box.width, top - 0.8],
            ],
          ],
        },
      ]),
      ...(maker ? [group("paragraph", column(maker, 0))] : []),
      ...(licence ? [group("paragraph", column(licence, 1))] : []),
      group("paragraph", linesAt(fonts, right, [box.x + box.width, top], style, "end")),
    ],
    { texts: [text("maker", maker, 0), text("licence", licence, 1)] },
  );
}

/** Own words of whoever made the sheet. */
function textFrame(drawing: Drawing, box: Box): Held {
  const value = said(drawing, "text");
  const rows =
    value === ""
      ? []
      : value.split("\n").map((line) => paragraph(drawing.fonts, line, box.width, STYLES.body));
  return {
    ...flowing(drawing.fonts, rows, box),
    texts: [{ key: "text", value, style: STYLES.body, ...box }],
  };
}

/** Ground of the detail of a layout; null where it has none, or nothing to show. */
function detailGround(drawing: Drawing, size: Size) {
  const frame = drawing.sheet.layout.frames.find(({ kind }) => kind === "detail");
  const { sheet, facts } = drawing;
  const isShown = facts.detail !== null || sheet.views.some(({ kind }) => kind === "detail");
  if (!frame || !isShown) {
    return null;
  }
  const ground = groundOf("detail", sheet, facts);
  return mapPlaced(drawing, { kind: "detail", box: boxOf(frame, size), ground, detail: null })
    .ground;
}

/** A map in its frame. */
function mapOf(drawing: Drawing, kind: MapKind, box: Box, size: Size): Held {
  const ground = groundOf(kind, drawing.sheet, drawing.facts);
  const detail = kind === "detail" ? null : detailGround(drawing, size);
  const asked = { kind, box, ground, detail };
  return held(mapFrame(drawing, asked), { map: { kind, placed: mapPlaced(drawing, asked) } });
}

/** What a frame of a kind holds; null for the foot, that is drawn when pages are counted. */
function frameHeld(drawing: Drawing, frame: SheetFrame, size: Size): Held | null {
  const { fonts, facts } = drawing;
  const box = boxOf(frame, size);
  const { kind } = frame;
  if (isMapKind(kind)) {
    return mapOf(drawing, kind, box, size);
  }
  switch (kind) {
    case "title":
      return titleFrame(drawing, box);
    case "inset":
      return held(locator(fonts, facts, box));
    case "legend":
      return flowing(fonts, legendRows(fonts, facts, box.width), box);
    case "numbers":
      return flowing(fonts, numberRows(fonts, facts, box.width), box);
    case "sources":
      return flowing(fonts, sectionRows(fonts, facts.sources, box.width), box);
    case "notes":
      return flowing(fonts, sectionRows(fonts, facts.notes, box.width), box);
    case "text":
      return textFrame(drawing, box);
    case "footer":
      return null;
  }
}

/** Columns in which what had no room goes on, at the most: each as wide as what stands in it. */
const MOST_COLUMNS = 3;

/** Pages on which rows go on that had no room in their frames. */
function morePages(drawing: Drawing, rests: readonly Row[][]): Page[] {
  const { size } = drawing;
  const across = size.width - 2 * MARGIN + GUTTER;
  const widest = Math.max(0, ...rests.flat().map((row) => row.width));
  const columns = Math.min(MOST_COLUMNS, Math.max(1, Math.floor(across / (widest + GUTTER))));
  const pages: Page[] = [];
  let at = columns;
  const head = STYLES.subtitle.size * LEADING + 2;
  const columnBox = (k: number): Box => {
    const width = across / columns - GUTTER;
    return {
      x: MARGIN + k * (width + GUTTER),
      y: MARGIN + head,
      width,
      height: size.height - 2 * MARGIN - head - 2 * STYLES.small.size * LEADING - GUTTER,
    };
  };
  const nextPage = () => {
    const title = textAt(
      drawing.fonts,
      `${said(drawing, "title")}, continued`,
      [MARGIN, MARGIN + STYLES.subtitle.size * ASCENT],
      { ...STYLES.subtitle, weight: 600 },
    );
    pages.push({ ...size, marks: [group("heading", title)], frames: [], texts: [], maps: [] });
    at = 0;
  };
  for (const rest of rests) {
    let rows = rest;
    while (rows.length > 0) {
      if (at >= columns) {
        nextPage();
      }
      const filled = fill(rows, columnBox(at));
      pages.at(-1)!.marks.push(...filled.marks);
      at++;
      if (filled.marks.length === 0) {
        // A row that is higher than a page is drawn all the same: nothing is left out in silence.
        const [first, ...others] = rows;
        pages.at(-1)!.marks.push(first!.draw(columnBox(at - 1).x, columnBox(at - 1).y));
        rows = others;
      } else {
        rows = goingOn(drawing.fonts, filled, columnBox(at - 1).width, STYLES.heading);
      }
    }
  }
  return pages;
}

/** Size of the page as if it were A4. */
const a4Size = ({ isUpright }: Sheet["layout"]) => pageSize({ paper: "A4", isUpright });

/** The foot of a page where its layout has none. */
const FOOT: SheetFrame = { kind: "footer", column: 0, row: ROWS - 1, columns: COLUMNS, rows: 1 };

/** The first page: all frames of the layout, and what had no room in them. */
function firstPage(drawing: Drawing): { page: Page; rests: Row[][] } {
  const { size, sheet } = drawing;
  const page: Page = { ...size, marks: [], frames: [], texts: [], maps: [] };
  const rests: Row[][] = [];
  for (const frame of sheet.layout.frames) {
    page.frames.push({ kind: frame.kind, ...boxOf(frame, size) });
    const own = frameHeld(drawing, frame, size);
    if (own) {
      page.marks.push(group("section", own.marks));
      page.texts.push(...own.texts);
      page.maps.push(...(own.map ? [own.map] : []));
      rests.push(own.rest);
    }
  }
  return { page, rests };
}

/** The foot of a page, where it has one. */
function addFoot(drawing: Drawing, page: Page, k: number, pageText: string): void {
  const own = drawing.sheet.layout.frames.find(({ kind }) => kind === "footer");
  if (!own && k === 0) {
    return;
  }
  const box = boxOf(k === 0 && own ? own : FOOT, drawing.size);
  const { marks, texts } = footFrame(drawing, box, pageText);
  page.marks.push(group("section", marks));
  page.texts.push(...(k === 0 ? texts : []));
}

/**
 * A sheet of a map on its pages. What has no room in its frame goes on on further pages; numbers are those
 * of the facts.
 */
export function composeSheet(
  fonts: Fonts,
  facts: SheetFacts,
  sheet: Sheet,
  options: PageOptions = { size: a4Size(sheet.layout), isNumbered: true },
): Composition {
  const { paper } = sheet.layout;
  const scale = PAPERS[paper][0] / PAPERS.A4[0];
  const drawing: Drawing = {
    ...{ fonts, facts, sheet, size: options.size },
    paper: { scale, name: options.isNumbered ? paper : null },
    metres: metresOfFacts(facts),
  };
  const { page, rests } = firstPage(drawing);
  const pages = [page, ...morePages(drawing, rests)];
  pages.forEach((one, k) => {
    addFoot(drawing, one, k, options.isNumbered ? `Page ${k + 1} of ${pages.length}` : "");
  });
  return { title: said(drawing, "title"), scale, pages, lacking: lackingOf(drawing) };
}

/** Letters of all words that can be set and of names that no font has. */
function lackingOf({ fonts, facts, sheet }: Drawing): string[] {
  const words = [
    ...Object.values(sheet.texts),
    ...[facts.title, facts.subtitle, facts.made],
    ...facts.classes.map(({ name }) => name),
    ...Object.values(facts.sides).map(({ caption }) => caption),
    ...[...facts.sources, ...facts.notes].flatMap(({ title, lines }) => [title, ...lines]),
  ];
  return [...new Set(words.flatMap((text) => (text ? fonts.lacking(text) : [])))];
}

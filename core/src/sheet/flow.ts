import { type Anchor, type Fonts, HELD, LEADING, linesAt, wrapped } from "./fonts";
import { type Box, type GroupMark, type Mark, type Role, type TextStyle, group } from "./marks";

/** Something that stands below what comes before it: a paragraph, a line of a table. */
export interface Row {
  /** Width that it was set for, and how high it came to be. */
  width: number;
  height: number;
  /** Whether it belongs to a table. */
  isOfTable: boolean;
  /** What it says where it is a heading, that does not stand last; null where it is none. */
  heading: string | null;
  draw(x: number, y: number): GroupMark;
  /** In two, the first of which is no higher than that; null where it cannot be parted so. */
  split(height: number): [Row, Row] | null;
}

const GAP = 0.9;

const part = (
  { width, height }: Pick<Row, "width" | "height">,
  draw: Row["draw"],
  more: Partial<Row> = {},
): Row => ({
  ...{ width, height, draw, isOfTable: false, heading: null, split: () => null },
  ...more,
});

function ofLines(
  fonts: Fonts,
  lines: readonly string[],
  width: number,
  style: TextStyle,
  role: Role,
): Row {
  const high = style.size * LEADING;
  const draw: Row["draw"] = (x, y) => group(role, linesAt(fonts, lines, [x, y], style));
  return part({ width, height: lines.length * high + GAP }, draw, {
    heading: role === "heading" ? lines.join(" ") : null,
    split: (height) => {
      const fit = Math.floor((height - GAP) / high);
      return fit < 1 || fit >= lines.length
        ? null
        : [
            ofLines(fonts, lines.slice(0, fit), width, style, role),
            ofLines(fonts, lines.slice(fit), width, style, role),
          ];
    },
  });
}

/** A paragraph in lines of a width. */
export const paragraph = (
  fonts: Fonts,
  text: string,
  width: number,
  style: TextStyle,
  role: Role = "paragraph",
): Row => ofLines(fonts, wrapped(fonts, text, width, style), width, style, role);

/** A cell of a line of a table. */
export interface Cell {
  text: string;
  /** From the left end of the line. */
  x: number;
  width: number;
  anchor: Anchor;
  style: TextStyle;
  /** Whether it names its line or its column. */
  isHead?: boolean;
}

/** A line of a table: cells beside each other, as high as the highest of them. @param before drawn first */
export function tableRow(
  fonts: Fonts,
  cells: readonly Cell[],
  before: (x: number, y: number) => Mark[] = () => [],
): Row {
  const lines = cells.map(({ text, width, style }) => wrapped(fonts, text, width, style));
  const high = cells.map(({ style }, k) => lines[k]!.length * style.size * LEADING);
  const width = Math.max(...cells.map(({ x, width: own }) => x + own));
  return part(
    { width, height: Math.max(...high) + GAP },
    (x, y) =>
      group("row", [
        ...before(x, y),
        ...cells.map(({ x: left, width: own, anchor, style, isHead }, k) =>
          group(
            isHead ? "head" : "cell",
            linesAt(fonts, lines[k]!, [x + left + own * HELD[anchor], y], style, anchor),
          ),
        ),
      ]),
    { isOfTable: true },
  );
}

/** What fits into a box, and what does not. */
export interface Filled {
  marks: Mark[];
  rest: Row[];
  /** The last heading in it; null where it has none. */
  under: string | null;
}

/** Rows of a table as one group each. */
function withTables(drawn: readonly { row: Row; mark: GroupMark }[]): Mark[] {
  const marks: Mark[] = [];
  let table: Mark[] = [];
  const close = () => {
    if (table.length > 0) {
      marks.push(group("table", table));
      table = [];
    }
  };
  for (const { row, mark } of drawn) {
    if (row.isOfTable) {
      table.push(mark);
    } else {
      close();
      marks.push(mark);
    }
  }
  close();
  return marks;
}

/** The next row in what is left of a box: whole, in part, or not at all. */
function fitting(row: Row, left: number): [Row | null, Row | null] {
  if (row.height - GAP <= left) {
    return [row, null];
  }
  return row.split(left) ?? [null, row];
}

const headingOf = (drawn: readonly { row: Row }[]): string | null =>
  drawn.map(({ row }) => row.heading).findLast((heading) => heading !== null) ?? null;

/** Behind a heading that stands once more. */
const AGAIN = ", continued";

/** Rows that had no room, under the heading that they belong to. */
export function goingOn(
  fonts: Fonts,
  { rest, under }: Filled,
  width: number,
  style: TextStyle,
): Row[] {
  const [first] = rest;
  if (!first || first.heading !== null || under === null) {
    return rest;
  }
  const heading = under.endsWith(AGAIN) ? under : `${under}${AGAIN}`;
  return [paragraph(fonts, heading, width, style, "heading"), ...rest];
}

/** Puts rows below each other into a box, from its top; a heading does not stand last. */
export function fill(rows: readonly Row[], { x, y, width: _width, height }: Box): Filled {
  const drawn: { row: Row; mark: GroupMark }[] = [];
  let used = 0;
  for (const [k, row] of rows.entries()) {
    const [fits, rest] = fitting(row, height - used);
    if (fits) {
      drawn.push({ row: fits, mark: fits.draw(x, y + used) });
      used += fits.height;
    }
    if (rest) {
      const lonely = drawn.at(-1)?.row.heading ? [drawn.pop()!.row] : [];
      return {
        marks: withTables(drawn),
        rest: [...lonely, rest, ...rows.slice(k + 1)],
        under: headingOf(drawn),
      };
    }
  }
  return { marks: withTables(drawn), rest: [], under: headingOf(drawn) };
}

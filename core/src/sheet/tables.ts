import { km2, number } from "../text/number";
import type { Ranged, SheetClass, SheetFacts } from "./facts";
import { type Cell, type Row, paragraph, tableRow } from "./flow";
import type { Fonts } from "./fonts";
import { type Box, type Mark, group } from "./marks";
import { type Pattern, isOnPattern, patternColor, patternsOf } from "./patterns";
import { INK, LINE, STYLES } from "./style";

/** Width and height of the colour of a class, millimetres. */
const SWATCH = { width: 4.6, height: 2.6 };
const GAP = 1.2;

/** Classes that the map has any of. */
const present = ({ classes }: Pick<SheetFacts, "classes">): SheetClass[] =>
  classes.filter(({ areaM2 }) => areaM2 > 0);

/** Patterns of the classes of a map by their labels: those on it are told apart. */
export function patternByLabel(facts: Pick<SheetFacts, "classes">): Map<number, Pattern> {
  const shown = present(facts);
  const patterns = patternsOf(shown.map(({ color }) => color));
  return new Map(shown.map(({ label }, k) => [label, patterns[k]!]));
}

const STEP = 0.12;

/** A colour with its pattern, as it lies on the map. */
export function swatch(box: Box, color: string, pattern: Pattern): Mark {
  const marks: Mark[] = [{ kind: "rect", ...box, fill: color, stroke: INK, line: 0.15 }];
  if (pattern !== "plain") {
    for (let y = 0; y + STEP <= box.height; y += STEP) {
      let from: number | null = null;
      for (let x = 0; x <= box.width; x += STEP) {
        const isOn = x + STEP <= box.width && isOnPattern(pattern, x, y);
        if (isOn && from === null) {
          from = x;
        } else if (!isOn && from !== null) {
          const part = { x: box.x + from, y: box.y + y, width: x - from, height: STEP * 1.15 };
          marks.push({ kind: "rect", ...part, fill: patternColor(color) });
          from = null;
        }
      }
    }
  }
  return group("decor", marks, { clip: box });
}

/** Classes with their colours and how much of each there is. */
export function legendRows(fonts: Fonts, facts: SheetFacts, width: number): Row[] {
  const patterns = patternByLabel(facts);
  const area = 15;
  const left = SWATCH.width + GAP;
  const rows = present(facts).map(({ label, name, color, areaM2 }) =>
    tableRow(
      fonts,
      [
        {
          ...{ text: name, x: left, width: Math.max(6, width - left - area), anchor: "start" },
          ...{ style: STYLES.body, isHead: true },
        },
        {
          ...{ text: `${km2(areaM2)} km²`, x: width - area, width: area, anchor: "end" },
          style: STYLES.body,
        },
      ],
      (x, y) => [swatch({ x, y: y + 0.2, ...SWATCH }, color, patterns.get(label)!)],
    ),
  );
  return [
    paragraph(fonts, "Legend", width, STYLES.heading, "heading"),
    ...rows,
    ...lineRows(fonts, facts, width),
    paragraph(fonts, `${km2(facts.seenM2)} km² seen on both dates`, width, STYLES.soft),
  ];
}

/** Lines over the map and what they are. */
function lineRows(fonts: Fonts, { studyArea, zones }: SheetFacts, width: number): Row[] {
  const rowOf = (text: string, dash: number[] | null): Row =>
    tableRow(
      fonts,
      [
        {
          ...{ text, x: SWATCH.width + GAP, width: width - SWATCH.width - GAP, anchor: "start" },
          ...{ style: STYLES.body, isHead: true },
        },
      ],
      (x, y) => [
        group("decor", [
          {
            ...{ kind: "path", isClosed: false, stroke: INK, line: dash ? 0.3 : 0.2 },
            ...(dash ? { dash } : {}),
            parts: [
              [
                [x, y + 1.5],
                [x + SWATCH.width, y + 1.5],
              ],
            ],
          },
        ]),
      ],
    );
  return [
    ...(studyArea ? [rowOf("Study area", [1.4, 0.8])] : []),
    ...(zones.length > 0 ? [rowOf("Zones", null)] : []),
  ];
}

/** A value with its interval behind it, or below it where there is no room; a dash where there is none. */
function rangedText(ranged: Ranged | null, say: (value: number) => string): string {
  if (!ranged) {
    return "–";
  }
  const { value, low, high } = ranged;
  return low === null || high === null ? say(value) : `${say(value)} (${say(low)}–${say(high)})`;
}

const percent = (share: number): string => number(100 * share, 1);

/** A column of the table of numbers. */
interface Column {
  name: string;
  said(of: SheetClass): string;
}

/** Columns of what is known of classes: mapped always, the others where they were counted. */
function columnsOf(classes: readonly SheetClass[]): Column[] {
  const columns: (Column | null)[] = [
    { name: "mapped km²", said: ({ areaM2 }) => km2(areaM2) },
    classes.some(({ probable }) => probable)
      ? { name: "probable km²", said: ({ probable }) => rangedText(probable, km2) }
      : null,
    classes.some(({ adjusted }) => adjusted)
      ? { name: "adjusted km²", said: ({ adjusted }) => rangedText(adjusted, km2) }
      : null,
    classes.some(({ users }) => users)
      ? { name: "user’s %", said: ({ users }) => rangedText(users, percent) }
      : null,
    classes.some(({ producers }) => producers)
      ? { name: "producer’s %", said: ({ producers }) => rangedText(producers, percent) }
      : null,
  ];
  return columns.filter((column) => column !== null);
}

const NAME_SHARE = 0.3;

/** Numbers by class with their intervals. */
export function numberRows(fonts: Fonts, facts: SheetFacts, width: number): Row[] {
  const classes = present(facts);
  const columns = columnsOf(classes);
  const nameWidth = width * NAME_SHARE;
  const own = (width - nameWidth) / columns.length;
  const row = (name: string, texts: readonly string[], isHead: boolean): Row => {
    const style = isHead ? STYLES.soft : STYLES.body;
    const cells: Cell[] = [
      { text: name, x: 0, width: nameWidth - 1, anchor: "start", style, isHead: true },
      ...texts.map((text, k): Cell => ({
        ...{ text, x: nameWidth + k * own, width: own - 0.6, anchor: "end", style, isHead },
      })),
    ];
    return tableRow(fonts, cells, (x, y) => [
      group("decor", [
        {
          ...{ kind: "path", isClosed: false, stroke: LINE, line: 0.15 },
          parts: [
            [
              [x, y - 0.35],
              [x + width, y - 0.35],
            ],
          ],
        },
      ]),
    ]);
  };
  return [
    paragraph(fonts, "Numbers, 95 % intervals in brackets", width, STYLES.heading, "heading"),
    row(
      "class",
      columns.map(({ name }) => name),
      true,
    ),
    ...classes.map((one) =>
      row(
        one.name,
        columns.map(({ said }) => said(one)),
        false,
      ),
    ),
  ];
}

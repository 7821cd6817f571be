import type { Rings, SheetFacts } from "./facts";
import { ASCENT, type Fonts, LEADING, linesAt, textAt, widthOf, wrapped } from "./fonts";
import { MARGIN, graticule } from "./graticule";
import type { MapKind } from "./layout";
import { type Box, type Mark, type MapSide, group } from "./marks";
import { northArrow } from "./north";
import { type Placed, onPage, placed } from "./scale";
import { type PrintedPaper, scaleBar } from "./scaleBar";
import { AFTER, BEFORE, GROUND, INK, STYLES } from "./style";

/** What all maps of a sheet are drawn with. */
export interface MapDrawing {
  fonts: Fonts;
  facts: SheetFacts;
  paper: PrintedPaper;
  metres: number;
}

/** A map in its frame: what it shows, and ground that others show a part of. */
export interface MapAsked {
  kind: MapKind;
  box: Box;
  ground: Parameters<typeof placed>[0];
  /** Ground of the detail, that is outlined; null where there is none, or this is it. */
  detail: Placed["ground"] | null;
}

const SIDE_OF: Record<MapKind, MapSide> = {
  before: "before",
  after: "after",
  change: "change",
  detail: "change",
};
/** The picture that a map shows. */
export const sideOf = (kind: MapKind): MapSide => SIDE_OF[kind];

const HEADS: Record<MapKind, string> = {
  before: "Before",
  after: "After",
  change: "Change",
  detail: "Detail of the change",
};
const CHIPS: Partial<Record<MapKind, string>> = { before: BEFORE, after: AFTER };
const CHIP = 2;

/** Name of a map with its scene, above it, in as many lines as they need. */
function captionOf({ fonts, facts }: MapDrawing, kind: MapKind, width: number) {
  const chip = CHIPS[kind];
  const indent = chip ? CHIP + 1 : 0;
  const head = HEADS[kind];
  const { caption } = facts.sides[sideOf(kind)];
  const beside = widthOf(fonts, `${head}  `, STYLES.caption) + indent;
  const isBeside = widthOf(fonts, caption, STYLES.captionSoft) <= width - beside;
  const lines = caption && !isBeside ? wrapped(fonts, caption, width, STYLES.captionSoft) : [];
  const first = STYLES.caption.size * LEADING;
  return {
    height: first + lines.length * STYLES.captionSoft.size * LEADING + 0.4,
    draw: (x: number, y: number): Mark[] => [
      ...(chip
        ? [group("decor", [{ kind: "rect", x, y: y + 0.5, width: CHIP, height: CHIP, fill: chip }])]
        : []),
      group(
        "heading",
        textAt(fonts, head, [x + indent, y + STYLES.caption.size * ASCENT], STYLES.caption),
      ),
      ...(caption
        ? [
            group(
              "paragraph",
              isBeside
                ? textAt(
                    fonts,
                    caption,
                    [x + beside, y + STYLES.caption.size * ASCENT],
                    STYLES.captionSoft,
                  )
                : linesAt(fonts, lines, [x, y + first], STYLES.captionSoft),
            ),
          ]
        : []),
    ],
  };
}

const outlinesOf = (
  all: Placed,
  rings: Rings,
  stroke: string,
  width: number,
  dash?: number[],
): Mark[] =>
  rings.length === 0
    ? []
    : [
        {
          ...{ kind: "path", isClosed: true, stroke, line: width, ...(dash ? { dash } : {}) },
          parts: rings.map((ring) => ring.map(([x, y]) => onPage(all)(x, y))),
        },
      ];

/** Lines over the picture: zones, the study area, the ground of the detail. */
function linesOver(
  all: Placed,
  { studyArea, zones }: SheetFacts,
  detail: MapAsked["detail"],
): Mark {
  const [west, south, east, north] = detail ?? [0, 0, 0, 0];
  const ring = [
    [west, south],
    [east, south],
    [east, north],
    [west, north],
  ] as const;
  return group(
    "decor",
    [
      ...outlinesOf(all, zones, "#ffffff", 0.55),
      ...outlinesOf(all, zones, INK, 0.2),
      ...outlinesOf(all, studyArea ?? [], "#ffffff", 0.6),
      ...outlinesOf(all, studyArea ?? [], INK, 0.3, [1.4, 0.8]),
      ...(detail ? outlinesOf(all, [ring], "#ffffff", 0.9) : []),
      ...(detail ? outlinesOf(all, [ring], INK, 0.4) : []),
    ],
    { clip: all.box },
  );
}

/** What a map shows, for somebody who has it read to them. */
function altOf({ facts }: MapDrawing, kind: MapKind): string {
  const { caption } = facts.sides[sideOf(kind)];
  const classes = facts.classes.filter(({ areaM2 }) => areaM2 > 0).map(({ name }) => name);
  const what = sideOf(kind) === "change" ? `classes ${classes.join(", ")}` : caption;
  return `${HEADS[kind]}, ${facts.title}: ${what}`;
}

/** Ground of a map in a box, below its caption, as large as both let it be. */
export function mapPlaced(
  drawing: MapDrawing,
  asked: MapAsked,
): Placed & { captionHeight: number } {
  const { box, kind, ground } = asked;
  const captionHeight = captionOf(drawing, kind, box.width).height;
  const inner = {
    x: box.x + MARGIN.left,
    y: box.y + captionHeight + MARGIN.above,
    width: Math.max(4, box.width - MARGIN.left - MARGIN.right),
    height: Math.max(4, box.height - captionHeight - MARGIN.above - MARGIN.below),
  };
  return { ...placed(ground, inner, drawing.paper.scale, drawing.metres), captionHeight };
}

/** Why there is no picture, in the middle of where it would be. */
function lackText({ fonts }: MapDrawing, { box }: Placed, text: string): Mark {
  const lines = wrapped(fonts, text, box.width * 0.8, STYLES.soft);
  const high = lines.length * STYLES.soft.size * LEADING;
  const at = [box.x + box.width / 2, box.y + (box.height - high) / 2] as const;
  return group("paragraph", linesAt(fonts, lines, at, STYLES.soft, "middle"));
}

/** A map with its caption, scale, north, lines and numbers of degrees and metres. */
export function mapFrame(drawing: MapDrawing, asked: MapAsked): Mark[] {
  const { fonts, facts, paper, metres } = drawing;
  const { kind, box, detail } = asked;
  const all = mapPlaced(drawing, asked);
  const lines = graticule(fonts, facts.crs, all);
  const side = sideOf(kind);
  const { lacks } = facts.sides[side];
  const inner = all.box;
  return [
    ...captionOf(drawing, kind, box.width).draw(box.x, box.y),
    group("decor", [{ kind: "rect", ...inner, fill: GROUND }]),
    ...(lacks === null
      ? [
          group("figure", [{ kind: "picture", ...inner, side, ground: all.ground }], {
            alt: altOf(drawing, kind),
          }),
        ]
      : [lackText(drawing, all, lacks)]),
    linesOver(all, facts, detail),
    lines.over,
    group("decor", [{ kind: "rect", ...inner, stroke: INK, line: 0.2 }]),
    lines.beside,
    scaleBar(fonts, all, metres, paper),
    northArrow(fonts, facts.crs, all),
  ];
}

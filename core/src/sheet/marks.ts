/**
 * What a sheet is drawn from: marks in millimetres of its page, from the upper left corner, x to the
 * right and y down. One composition of marks is written as SVG, as PDF and as PNG.
 */

/** Weights that the fonts of a sheet come in. */
export type Weight = 400 | 600;

/** Families that the fonts of a sheet come in; the second has letters that the first lacks. */
export type Family = "Hanken Grotesk" | "Noto Sans";

/** How words are set: size in millimetres. */
export interface TextStyle {
  size: number;
  weight: Weight;
  color: string;
}

/** A box in millimetres. */
export interface Box {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Words on one line, from the left end of their base line. */
export interface TextMark extends TextStyle {
  kind: "text";
  x: number;
  y: number;
  text: string;
  family: Family;
  /** Degrees clockwise about its place; absent: level. */
  turn?: number;
}

/** A rectangle; `line` is the width of its stroke. */
export interface RectMark extends Box {
  kind: "rect";
  fill?: string;
  stroke?: string;
  line?: number;
  /** Of the fill, 0 to 1. */
  opacity?: number;
}

/** Lines, or areas by the even-odd rule. */
export interface PathMark {
  kind: "path";
  parts: readonly (readonly (readonly [number, number])[])[];
  isClosed: boolean;
  fill?: string;
  stroke?: string;
  line?: number;
  dash?: readonly number[];
}

/** What the picture of a map shows. */
export const MAP_SIDES = ["before", "after", "change"] as const;
export type MapSide = (typeof MAP_SIDES)[number];

/** A picture of ground. */
export interface PictureMark extends Box {
  kind: "picture";
  side: MapSide;
  /** West, south, east, north in the system of the sheet's maps. */
  ground: Ground;
}

/** West, south, east, north in the coordinates of a system. */
export type Ground = readonly [west: number, south: number, east: number, north: number];

/** What a group of marks is to somebody who has it read to them. */
export type Role =
  | "title"
  | "heading"
  | "paragraph"
  | "figure"
  | "table"
  | "row"
  | "head"
  | "cell"
  | "section"
  /** Lines and grounds that say nothing by themselves. */
  | "decor";

/** Marks that belong together. */
export interface GroupMark {
  kind: "group";
  role: Role;
  /** What a figure shows, in words. */
  alt?: string;
  /** Nothing is drawn outside it. */
  clip?: Box;
  marks: readonly Mark[];
}

export type Mark = TextMark | RectMark | PathMark | PictureMark | GroupMark;

/** Marks as a group of a role. */
export const group = (
  role: Role,
  marks: readonly Mark[],
  more: Pick<GroupMark, "alt" | "clip"> = {},
): GroupMark => ({ kind: "group", role, marks, ...more });

/** A straight line. */
export const line = (
  from: readonly [number, number],
  to: readonly [number, number],
  stroke: string,
  width: number,
): PathMark => ({ kind: "path", parts: [[from, to]], isClosed: false, stroke, line: width });

/** All marks that are no groups, in the order in which they are drawn. */
export function* leaves(marks: readonly Mark[]): Generator<Exclude<Mark, GroupMark>> {
  for (const mark of marks) {
    if (mark.kind === "group") {
      yield* leaves(mark.marks);
    } else {
      yield mark;
    }
  }
}

import {
  COLUMNS,
  FRAME_KINDS,
  type FrameKind,
  type MapKind,
  ROWS,
  type Sheet,
  type SheetFrame,
  type SheetLayout,
  isMapKind,
} from "./layout";
import type { SheetView } from "./layout";

const between = (value: number, least: number, most: number): number =>
  Math.min(most, Math.max(least, value));

const withFrame = (
  layout: SheetLayout,
  kind: FrameKind,
  change: (frame: SheetFrame) => SheetFrame,
): SheetLayout => ({
  ...layout,
  frames: layout.frames.map((frame) => (frame.kind === kind ? change(frame) : frame)),
});

/** A frame moved by columns and rows; it stays on the page. */
export const moveFrame = (
  layout: SheetLayout,
  kind: FrameKind,
  [columns, rows]: readonly [number, number],
): SheetLayout =>
  withFrame(layout, kind, (frame) => ({
    ...frame,
    column: between(frame.column + columns, 0, COLUMNS - frame.columns),
    row: between(frame.row + rows, 0, ROWS - frame.rows),
  }));

/** A frame made larger or smaller at its lower right corner; it stays on the page, and no less than one by one. */
export const sizeFrame = (
  layout: SheetLayout,
  kind: FrameKind,
  [columns, rows]: readonly [number, number],
): SheetLayout =>
  withFrame(layout, kind, (frame) => ({
    ...frame,
    columns: between(frame.columns + columns, 1, COLUMNS - frame.column),
    rows: between(frame.rows + rows, 1, ROWS - frame.row),
  }));

/** Columns and rows of a frame that was not on the page before. */
const NEW_SIZE = { columns: 8, rows: 6 };

const overlap = (first: SheetFrame, second: SheetFrame): number => {
  const across =
    Math.min(first.column + first.columns, second.column + second.columns) -
    Math.max(first.column, second.column);
  const down =
    Math.min(first.row + first.rows, second.row + second.rows) - Math.max(first.row, second.row);
  return Math.max(0, across) * Math.max(0, down);
};

/** Kinds that may lie over a map: on purpose, they cover a part of it. */
const OVER_MAPS: readonly FrameKind[] = ["inset", "legend", "text"];

/** Frames that lie over each other so that neither can be read, in pairs. */
export function overlapping({ frames }: SheetLayout): [FrameKind, FrameKind][] {
  const isMeant = (a: SheetFrame, b: SheetFrame) => isMapKind(a.kind) && OVER_MAPS.includes(b.kind);
  return frames.flatMap((first, k) =>
    frames
      .slice(k + 1)
      .filter((second) => overlap(first, second) > 0)
      .filter((second) => !isMeant(first, second) && !isMeant(second, first))
      .map((second): [FrameKind, FrameKind] => [first.kind, second.kind]),
  );
}

/** A frame put on the page where it covers least of the others, from the top. */
export function addFrame(layout: SheetLayout, kind: FrameKind): SheetLayout {
  if (layout.frames.some((frame) => frame.kind === kind)) {
    return layout;
  }
  let best: { frame: SheetFrame; covered: number } | null = null;
  for (let row = 0; row + NEW_SIZE.rows <= ROWS; row++) {
    for (let column = 0; column + NEW_SIZE.columns <= COLUMNS; column++) {
      const frame = { kind, column, row, ...NEW_SIZE };
      const covered = layout.frames.reduce((sum, other) => sum + overlap(frame, other), 0);
      if (!best || covered < best.covered) {
        best = { frame, covered };
      }
    }
  }
  const order = (one: SheetFrame) => FRAME_KINDS.indexOf(one.kind);
  const frames = [...layout.frames, best!.frame];
  // Maps are read in their order; a new frame lies over those that it covers.
  return {
    ...layout,
    frames: best!.covered > 0 ? frames : frames.sort((a, b) => order(a) - order(b)),
  };
}

/** A page without a frame; the last one stays. */
export const removeFrame = (layout: SheetLayout, kind: FrameKind): SheetLayout =>
  layout.frames.length > 1
    ? { ...layout, frames: layout.frames.filter((frame) => frame.kind !== kind) }
    : layout;

/** A sheet on which a map shows other ground; null: all of it, or what the detail shows by itself. */
export const withView = (sheet: Sheet, kind: MapKind, view: SheetView | null): Sheet => ({
  ...sheet,
  views: [...sheet.views.filter((one) => one.kind !== kind), ...(view ? [view] : [])],
});

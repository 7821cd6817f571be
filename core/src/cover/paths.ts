import * as yup from "yup";
import { MOST_COVER } from "./coverClass";
import { classFields } from "../change/classFields";
import type { Evaluator } from "../graph/evaluator";
import type { NodeSpec } from "../graph/node";
import { type CellAreas, cellAreas } from "../grid/area";
import { type Window, blockWindows, levelGrid } from "../grid/grid";
import { levelOfCells } from "../grid/levelOfCells";
import { CLASS_NODATA, labelCells, realCells } from "../raster/block";

/** A class that several dates have in common: which labels of each belong to it. */
export interface PathClass {
  name: string;
  color: string;
  /** By date. */
  labels: number[][];
}

/** What ground was date after date, and how much of it there is. */
export interface CoverPath {
  /** Places of classes, by date. */
  path: number[];
  cells: number;
  areaM2: number;
}

type Sum = Pick<CoverPath, "cells" | "areaM2">;

/** Paths of ground through dates, the largest first. */
export interface CoverPaths {
  /** Overview level that they were counted at; 0: the cells themselves. */
  level: number;
  paths: CoverPath[];
  /** Ground that has a class in common on every date. */
  cells: number;
  areaM2: number;
}

/** Dates and classes at the most, so that every path has a number of its own. */
export const MOST_DATES = 12;
/** Digits of a path: a class each, and nought for none. */
const BASE = MOST_COVER + 1;

const labels = yup.array(yup.number().integer().min(1).max(254).required()).max(254).required();

/** Schema of classes in common over several dates. */
export const pathClassesSchema = yup
  .array(
    yup
      .object({
        name: classFields.name,
        color: classFields.color,
        labels: yup.array(labels).min(2).max(MOST_DATES).required(),
      })
      .noUnknown()
      .required(),
  )
  .min(1)
  .max(MOST_COVER)
  .required();

/** Which class each label of a date belongs to, from one; nought: none. */
export function placesOnDate(classes: readonly PathClass[], date: number): Uint8Array {
  const out = new Uint8Array(256);
  classes.forEach((one, k) => one.labels[date]!.forEach((label) => (out[label] = k + 1)));
  out[CLASS_NODATA] = 0;
  return out;
}

/** Numbers of paths of a row of cells; −1 where a date has none of the classes. */
function codesOf(dates: readonly Uint8Array[], places: readonly Uint8Array[], out: Float64Array) {
  for (let i = 0; i < out.length; i++) {
    let code = 0;
    for (let date = 0; date < dates.length && code >= 0; date++) {
      const place = places[date]![dates[date]![i]!]!;
      code = place === 0 ? -1 : code * BASE + place;
    }
    out[i] = code;
  }
}

/** The classes of a path from its number. */
function pathOf(code: number, dates: number): number[] {
  const path = new Array<number>(dates);
  let rest = code;
  for (let date = dates - 1; date >= 0; date--) {
    path[date] = (rest % BASE) - 1;
    rest = Math.floor(rest / BASE);
  }
  return path;
}

/** Adds the runs of equal paths in a window. */
function addRuns(
  codes: Float64Array,
  { col, row, width, height }: Window,
  areas: CellAreas,
  found: Map<number, Sum>,
): void {
  for (let r = 0; r < height; r++) {
    for (let from = 0; from < width;) {
      const code = codes[r * width + from]!;
      let to = from + 1;
      while (to < width && codes[r * width + to] === code) {
        to++;
      }
      if (code >= 0) {
        const sum = found.get(code) ?? { cells: 0, areaM2: 0 };
        sum.cells += to - from;
        sum.areaM2 += areas.run(row + r, col + from, col + to);
        found.set(code, sum);
      }
      from = to;
    }
  }
}

/**
 * How much ground went through which classes, date after date. Cells without a class in common on
 * some date, or outside the mask, are on no path.
 * @param dates class images of one grid @param mask real-valued, NaN outside; or null
 * @param maxCells cells at the most that are counted; larger images are counted on an overview
 */
export async function coverPaths(
  evaluator: Pick<Evaluator, "info" | "read">,
  { dates, mask, classes }: { dates: NodeSpec[]; mask: NodeSpec | null; classes: PathClass[] },
  maxCells: number,
): Promise<CoverPaths> {
  const info = await evaluator.info(dates[0]!);
  const level = levelOfCells(info.grid, maxCells);
  const grid = levelGrid(info.grid, level);
  const areas = cellAreas(grid);
  const places = dates.map((_node, date) => placesOnDate(classes, date));
  const found = new Map<number, Sum>();
  for (const window of blockWindows(grid)) {
    const blocks = await Promise.all(dates.map((date) => evaluator.read(date, level, window)));
    const inside = mask && realCells((await evaluator.read(mask, level, window)).bands[0]!);
    const codes = new Float64Array(window.width * window.height);
    codesOf(
      blocks.map(({ bands }) => labelCells(bands[0]!)),
      places,
      codes,
    );
    inside?.forEach((value, i) => {
      if (Number.isNaN(value)) {
        codes[i] = -1;
      }
    });
    addRuns(codes, window, areas, found);
  }
  const paths = [...found]
    .map(([code, sum]): CoverPath => ({ path: pathOf(code, dates.length), ...sum }))
    .sort((a, b) => b.areaM2 - a.areaM2);
  return {
    ...{ level, paths },
    cells: paths.reduce((sum, { cells }) => sum + cells, 0),
    areaM2: paths.reduce((sum, { areaM2 }) => sum + areaM2, 0),
  };
}

import Flatbush from "flatbush";
import { robustLevel, robustPlane } from "./plane";
import type { ShorePoint } from "./shore";

/** The surface of a body of water: heights on a lattice, bilinear between them. */
export interface WaterSurface {
  body: number;
  /** The first node, in cells from the left and from the top of the map. */
  col: number;
  row: number;
  /** Cells from node to node. */
  step: number;
  columns: number;
  rows: number;
  /** Metres; NaN where no shore is near. */
  levels: Float64Array;
  /** How far shore heights near each node disagree, metres. */
  spreads: Float64Array;
  /** Shore points that it rests on. */
  points: number;
}

/** Distance of nodes, and how far from one shore points are taken, metres. */
const STEP_M = 500;
const REACH_M = 1500;
/** Shore points that a node rests on: the nearest, and so many at the least. */
const MOST_POINTS = 150;
const LEAST_POINTS = 20;
/** A body with fewer has one level, if it has so many; else its level is not known. */
const LEAST_FOR_LEVEL = 5;
/** Water falls by no more than that over its length. */
const STEEPEST = 0.004;

const columnOf = (points: readonly ShorePoint[], of: "col" | "row" | "height"): Float64Array =>
  Float64Array.from(points, (point) => point[of]);

/** A body with few shore points: their median everywhere. */
function levelSurface(body: number, points: readonly ShorePoint[]): WaterSurface {
  const { height, spread } = robustLevel(columnOf(points, "height"));
  return {
    ...{ body, col: 0, row: 0, step: 1, columns: 1, rows: 1, points: points.length },
    levels: Float64Array.of(height),
    spreads: Float64Array.of(spread),
  };
}

/** Where nodes of a body stand: around its shore points, and one step beyond. */
function latticeOf(points: readonly ShorePoint[], step: number) {
  const ends = (values: Float64Array): [number, number] => [
    values.reduce((least, one) => Math.min(least, one)),
    values.reduce((most, one) => Math.max(most, one)),
  ];
  const [west, east] = ends(columnOf(points, "col"));
  const [north, south] = ends(columnOf(points, "row"));
  return {
    col: west - step,
    row: north - step,
    columns: Math.ceil((east - west) / step) + 3,
    rows: Math.ceil((south - north) / step) + 3,
  };
}

function treeOf(points: readonly ShorePoint[]): Flatbush {
  const tree = new Flatbush(points.length);
  for (const { col, row } of points) {
    tree.add(col, row, col, row);
  }
  tree.finish();
  return tree;
}

/** A body whose shore says how its surface falls. */
function slopingSurface(body: number, points: readonly ShorePoint[], cellM: number): WaterSurface {
  const step = Math.max(4, STEP_M / cellM);
  const lattice = latticeOf(points, step);
  const nodes = lattice.columns * lattice.rows;
  const levels = new Float64Array(nodes).fill(NaN);
  const spreads = new Float64Array(nodes).fill(NaN);
  const tree = treeOf(points);
  for (let k = 0; k < nodes; k++) {
    const col = lattice.col + (k % lattice.columns) * step;
    const row = lattice.row + Math.floor(k / lattice.columns) * step;
    const near = tree.neighbors(col, row, MOST_POINTS, REACH_M / cellM).map((i) => points[i]!);
    const plane =
      near.length >= LEAST_POINTS
        ? robustPlane(
            {
              col: columnOf(near, "col").map((one) => one - col),
              row: columnOf(near, "row").map((one) => one - row),
              height: columnOf(near, "height"),
            },
            STEEPEST * cellM,
          )
        : null;
    if (plane) {
      levels[k] = plane.height;
      spreads[k] = plane.spread;
    }
  }
  return { body, ...lattice, step, levels, spreads, points: points.length };
}

/**
 * Surfaces of bodies of water, from heights along their shores: at nodes half a kilometre apart the plane
 * that most of the shore heights near it lie on; one level where a body has few. Bodies with hardly a
 * shore point have none.
 * @param cellM size of a cell, metres
 */
export function waterSurfaces(points: readonly ShorePoint[], cellM: number): WaterSurface[] {
  const byBody = new Map<number, ShorePoint[]>();
  for (const point of points) {
    const own = byBody.get(point.body) ?? [];
    own.push(point);
    byBody.set(point.body, own);
  }
  return [...byBody]
    .sort(([a], [b]) => a - b)
    .filter(([, own]) => own.length >= LEAST_FOR_LEVEL)
    .map(([body, own]) =>
      own.length < LEAST_POINTS ? levelSurface(body, own) : slopingSurface(body, own, cellM),
    );
}

/** Height of a surface, and how far shore heights near it disagree; NaN where neither is known. */
export interface LevelAt {
  level: number;
  spread: number;
}

const UNKNOWN: LevelAt = { level: NaN, spread: NaN };

/** A surface at a place in cells: between nodes bilinear over those that are known. */
export function levelAt(surface: WaterSurface, col: number, row: number): LevelAt {
  const { columns, rows, step, levels, spreads } = surface;
  if (columns === 1 && rows === 1) {
    return { level: levels[0]!, spread: spreads[0]! };
  }
  const x = Math.max(0, Math.min(columns - 1, (col - surface.col) / step));
  const y = Math.max(0, Math.min(rows - 1, (row - surface.row) / step));
  const [c, r] = [Math.min(columns - 2, Math.floor(x)), Math.min(rows - 2, Math.floor(y))];
  let [weight, level, spread] = [0, 0, 0];
  for (const [across, down] of [
    [0, 0],
    [1, 0],
    [0, 1],
    [1, 1],
  ] as const) {
    const at = (r + down) * columns + c + across;
    const own =
      Math.max(1e-9, 1 - Math.abs(x - c - across)) * Math.max(1e-9, 1 - Math.abs(y - r - down));
    if (!Number.isNaN(levels[at]!)) {
      weight += own;
      level += own * levels[at]!;
      spread += own * spreads[at]!;
    }
  }
  return weight > 0 ? { level: level / weight, spread: spread / weight } : UNKNOWN;
}

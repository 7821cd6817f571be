import { Matrix, SingularValueDecomposition, solve } from "ml-matrix";
import { InputError } from "../errors";
import { type Path, pathFunction, TERMS, termsOf, thinPlate } from "./mapping";

export const POINT_MODELS = [
  "similarity",
  "polynomial1",
  "polynomial2",
  "polynomial3",
  "spline",
] as const;
export type PointModel = (typeof POINT_MODELS)[number];
/** Points that a model needs at the least. */
export const LEAST_POINTS: Record<PointModel, number> = {
  similarity: 2,
  polynomial1: 3,
  polynomial2: 6,
  polynomial3: 10,
  spline: 3,
};

/** Order of a polynomial. */
const ORDERS = { polynomial1: 1, polynomial2: 2, polynomial3: 3 } as const;

/** Numbers that a model is free in; a spline bends to any number of points. */
const FREE: Record<PointModel, number> = {
  similarity: 4,
  polynomial1: 6,
  polynomial2: 12,
  polynomial3: 20,
  spline: Infinity,
};

/** A place in both pictures: `from` in the scene's own coordinates, `to` on the map. */
export interface PointPair {
  from: readonly [number, number];
  to: readonly [number, number];
}
export interface PointFit {
  /** From the map into the scene. */
  path: Path;
  /**
   * By point, in the scene's units: where the path puts it less where it was marked; and the same
   * when the path is laid without that point (null where that cannot be done).
   */
  residuals: [number, number][];
  leftOut: ([number, number] | null)[];
  /**
   * By point: spread of the others about the path laid without it; null where nothing is left to
   * tell it by.
   */
  spreadWithout: (number | null)[];
  /**
   * Root mean squares of both, over all points; null where it cannot be told: a path through
   * exactly as many points as it needs has no residual to speak of.
   */
  rmse: number | null;
  rmseLeftOut: number | null;
}

/**
 * The path from map to scene that fits control points best, by least squares in centred, scaled
 * coordinates (a similarity in its four numbers, polynomials of
 * order 1 to 3, a thin plate spline with smoothing: Bookstein 1989, Wahba 1990).
 * @param smoothing of the spline, 0 goes through every point; in parts of the mean square distance
 * of the points
 * @param rowsDown whether the scene's own coordinates are those of a picture, whose rows count
 * downwards: a similarity does not mirror
 * @throws InputError when there are too few points, or they do not span the plane
 */
export function fitPoints(
  points: readonly PointPair[],
  model: PointModel,
  smoothing = 0,
  rowsDown = false,
): PointFit {
  if (points.length < LEAST_POINTS[model]) {
    throw new InputError(
      `This transform needs ${LEAST_POINTS[model]} points or more, and there ${points.length === 1 ? "is 1" : `are ${points.length}`}`,
      "points",
    );
  }
  if (points.some((point) => ![...point.from, ...point.to].every(Number.isFinite))) {
    throw new InputError("A point has no coordinates", "points");
  }
  const path = lay(points, model, smoothing, rowsDown);
  const n = points.length;
  const along = pathFunction(path);
  const residuals = points.map((point): [number, number] => {
    const [x, y] = along(...point.to);
    return [x - point.from[0], y - point.from[1]];
  });
  const leftOut: ([number, number] | null)[] = [];
  const spreadWithout: (number | null)[] = [];
  points.forEach((point, k) => {
    leftOut.push(null);
    spreadWithout.push(null);
    if (n - 1 < LEAST_POINTS[model]) {
      return;
    }
    try {
      const others = points.filter((_q, j) => j !== k);
      const pathAt = pathFunction(lay(others, model, smoothing, rowsDown));
      const [x, y] = pathAt(...point.to);
      const free = 2 * others.length - FREE[model];
      leftOut[k] = [x - point.from[0], y - point.from[1]];
      if (model !== "spline" && free > 0) {
        spreadWithout[k] = Math.sqrt(
          others.reduce((t, pair) => {
            const [across, down] = pathAt(...pair.to);
            return t + (across - pair.from[0]) ** 2 + (down - pair.from[1]) ** 2;
          }, 0) /
            (free / 2),
        );
      }
    } catch (error) {
      if (!(error instanceof InputError)) {
        throw error;
      }
    }
  });
  const rms = (value: readonly ([number, number] | null)[]): number | null =>
    value.every((e) => e) && value.length
      ? Math.sqrt(value.reduce((s, e) => s + e![0] ** 2 + e![1] ** 2, 0) / value.length)
      : null;
  return {
    path,
    residuals,
    leftOut,
    spreadWithout,
    rmse: n > LEAST_POINTS[model] || (model === "spline" && smoothing > 0) ? rms(residuals) : null,
    rmseLeftOut: rms(leftOut),
  };
}

/**
 * So many times the spread of the others a point must lie off before it is pointed at; of a spline,
 * which bends to its points, so many times the others' own distance.
 */
const SPOILS = 6;
const SPOILS_SPLINE = 3;
/**
 * The point that spoils the fit: left out, it lies far further off than the others scatter without
 * it; −1 where none does.
 */
export function worstPoint(pointFit: PointFit): number {
  const off = pointFit.leftOut.map((value) => (value ? Math.hypot(...value) : 0));
  const times = off.map((e, k) => {
    const s = pointFit.spreadWithout[k];
    if (s != null) {
      return e / (SPOILS * Math.max(s, 1e-12));
    }
    const rest = off.filter((_v, j) => j !== k).sort((a, b) => a - b);
    return pointFit.spreadWithout.every((x) => x === null) && rest.length > 3
      ? e / (SPOILS_SPLINE * rest[rest.length >> 1]!)
      : 0;
  });
  const k = times.indexOf(Math.max(...times));
  return times[k]! > 1 && off[k]! > 1e-9 ? k : -1;
}

const flat = (): never => {
  throw new InputError(
    "The points lie on one line or on each other: they do not span the plane",
    "points",
    "Mark points that are spread over the picture.",
  );
};

function lay(
  points: readonly PointPair[],
  model: PointModel,
  smoothing: number,
  rowsDown: boolean,
): Path {
  const n = points.length;
  const cx = points.reduce((s, pair) => s + pair.to[0], 0) / n;
  const cy = points.reduce((s, pair) => s + pair.to[1], 0) / n;
  const scale = Math.sqrt(
    points.reduce((s, pair) => s + (pair.to[0] - cx) ** 2 + (pair.to[1] - cy) ** 2, 0) / n,
  );
  if (!(scale > 0)) {
    flat();
  }
  const at = points.map((point): [number, number] => [
    (point.to[0] - cx) / scale,
    (point.to[1] - cy) / scale,
  ]);
  const centre: [number, number] = [cx, cy];
  if (model === "similarity") {
    return {
      kind: "polynomial",
      order: 1,
      centre,
      scale,
      ...similarity(points, at, rowsDown ? -1 : 1),
    };
  }
  if (model === "spline") {
    return { kind: "spline", centre, scale, at, ...spline(points, at, smoothing) };
  }
  const order = ORDERS[model];
  const design = new Matrix(at.map(([across, down]) => termsOf(order, across, down)));
  const svd = new SingularValueDecomposition(design, { autoTranspose: true });
  if (design.columns !== TERMS[order] || svd.condition > 1e9) {
    flat();
  }
  const sol = svd.solve(new Matrix(points.map((point) => [...point.from])));
  return { kind: "polynomial", order, centre, scale, x: sol.getColumn(0), y: sol.getColumn(1) };
}

/** Four numbers: turn, scale and shift; x = a·u − b·v + c, ±y = b·u + a·v + d. */
function similarity(
  points: readonly PointPair[],
  at: readonly [number, number][],
  up: 1 | -1,
): { x: number[]; y: number[] } {
  const rows = at.flatMap(([across, down]) => [
    [across, -down, 1, 0],
    [down, across, 0, 1],
  ]);
  const svd = new SingularValueDecomposition(new Matrix(rows), { autoTranspose: true });
  const solved = svd.solve(
    Matrix.columnVector(points.flatMap((point) => [point.from[0], up * point.from[1]])),
  );
  const [a, b, c, e] = [0, 1, 2, 3].map((row) => solved.get(row, 0));
  return { x: [c!, a!, -b!], y: [up * e!, up * b!, up * a!] };
}

function spline(
  points: readonly PointPair[],
  at: readonly [number, number][],
  smoothing: number,
): { x: number[]; y: number[] } {
  const n = at.length;
  const matrix = Matrix.zeros(n + 3, n + 3);
  const right = Matrix.zeros(n + 3, 2);
  if (
    new SingularValueDecomposition(new Matrix(at.map(([across, down]) => [1, across, down])), {
      autoTranspose: true,
    }).condition > 1e9
  ) {
    flat();
  }
  for (let i = 0; i < n; i++) {
    for (let j = 0; j < n; j++) {
      const du = at[i]![0] - at[j]![0];
      const dv = at[i]![1] - at[j]![1];
      const r2 = du * du + dv * dv;
      if (i !== j && r2 < 1e-18) {
        throw new InputError(
          "Two points mark the same place of the map",
          "points",
          "Remove one of them.",
        );
      }
      matrix.set(i, j, thinPlate(r2) + (i === j ? smoothing : 0));
    }
    [1, ...at[i]!].forEach((value, k) => {
      matrix.set(i, n + k, value);
      matrix.set(n + k, i, value);
    });
    right.set(i, 0, points[i]!.from[0]);
    right.set(i, 1, points[i]!.from[1]);
  }
  const s = solve(matrix, right);
  return { x: s.getColumn(0), y: s.getColumn(1) };
}

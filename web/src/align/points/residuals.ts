import type { ControlPoint, PointsPlace } from "@hindglance/core/align/alignment";
import { worstPoint } from "@hindglance/core/align/points";
import { fitOf, metresPerUnit } from "../figures";

/** A length on a date: in its cells, and on the ground. */
export interface Length {
  cells: number;
  metres: number;
}

/** How well control points agree. Null: nothing tells. */
export interface Residuals {
  /** Why there is no fit; null where there is one. */
  problem: string | null;
  rmse: Length | null;
  /** Root mean square of each point against the fit of all others. */
  rmseLeftOut: Length | null;
  /** By point, cells: off the fit, and off the fit without it. */
  byPoint: Map<string, { off: number | null; leftOut: number | null }>;
  /** The point that spoils the fit, if one does. */
  worst: ControlPoint | null;
}

const NO_FIT = { rmse: null, rmseLeftOut: null, worst: null };

/**
 * Residuals of control points. The unit of a picture without position is one of its cells, that of
 * a date with one is a metre.
 *
 * @param cellM metres of a cell of a date with a position
 */
export function residualsOf(place: PointsPlace, picture: boolean, cellM: number): Residuals {
  const found = fitOf(place, picture);
  if ("problem" in found) {
    return { ...NO_FIT, problem: found.problem, byPoint: new Map() };
  }
  const { fit, used } = found;
  const unitCell = picture ? 1 : cellM;
  const unitM = picture ? metresPerUnit(fit, used[0]?.to ?? [0, 0]) : 1;
  const lengthOf = (units: number | null): Length | null =>
    units === null ? null : { cells: units / unitCell, metres: units * unitM };
  const cellsOf = (off: [number, number] | null | undefined): number | null =>
    off ? Math.hypot(...off) / unitCell : null;
  return {
    problem: null,
    rmse: lengthOf(fit.rmse),
    rmseLeftOut: lengthOf(fit.rmseLeftOut),
    byPoint: new Map(
      used.map((point, k) => [
        point.id,
        { off: cellsOf(fit.residuals[k]), leftOut: cellsOf(fit.leftOut[k]) },
      ]),
    ),
    worst: used[worstPoint(fit)] ?? null,
  };
}

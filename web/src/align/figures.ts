import {
  type ControlPoint,
  type OffsetPlace,
  type PointsPlace,
  usedPoints,
} from "@hindglance/core/align/alignment";
import { pathFunction } from "@hindglance/core/align/mapping";
import { LEAST_POINTS, type PointFit, fitPoints } from "@hindglance/core/align/points";
import type { BandInfo } from "@hindglance/core/graph/image";
import { type Grid, toMap } from "@hindglance/core/grid/grid";
import { sayError } from "../api/client";
import type { AlignRow } from "./align";

/**
 * Date that others are laid on when nobody has chosen one: the earliest that lies on the map and
 * stays where it is.
 */
export const firstReference = (
  rows: readonly AlignRow[],
  beforeId: string | null,
): string | null => {
  const fit = rows.filter((row) => row.raw && !row.picture && !row.align?.place && row.acquiredAt);
  return (fit.find((alignRow) => alignRow.sceneId === beforeId) ?? fit[0])?.sceneId ?? null;
};
/**
 * Band that dates are compared in: radar power, red or near infrared where there is light, else the
 * first that holds values.
 */
export function firstBand(bands: readonly BandInfo[]): string | null {
  const nm = (want: number) =>
    bands.find(
      (band) =>
        band.wavelengthNm !== undefined &&
        Math.abs(band.wavelengthNm - want) < 45 &&
        band.role !== "quality",
    );
  return (
    (
      bands.find((band) => band.role === "power" || band.role === "decibel") ??
      nm(840) ??
      nm(655) ??
      bands.find(
        (band) =>
          band.role === "value" ||
          band.role === "reflectance" ||
          band.role === "dn" ||
          band.role === "amplitude",
      )
    )?.name ?? null
  );
}

/**
 * What a measured offset comes to in the middle of a grid: cells east and south, turn in degrees
 * (anticlockwise), scale.
 */
export function offsetFigures(
  offsetPlace: OffsetPlace,
  grid: Grid,
): { east: number; south: number; turnDeg: number; scale: number } {
  const pathAt = pathFunction(offsetPlace.path);
  const [x, y] = toMap(grid, grid.width / 2, grid.height / 2);
  const distance = 1000 * offsetPlace.cellM;
  const at = pathAt(x, y);
  const e = pathAt(x + distance, y);
  const n = pathAt(x, y + distance);
  const a = (e[0] - at[0]) / distance;
  const b = (e[1] - at[1]) / distance;
  const c = (n[0] - at[0]) / distance;
  const k = (n[1] - at[1]) / distance;
  return {
    east: (at[0] - x) / offsetPlace.cellM,
    south: (y - at[1]) / offsetPlace.cellM,
    turnDeg: (Math.atan2(b - c, a + k) * 180) / Math.PI,
    scale: Math.sqrt(Math.abs(a * k - b * c)),
  };
}

/** A place by control points with none set yet. */
export const emptyPoints = (referenceId: string): PointsPlace => ({
  kind: "points",
  referenceId,
  model: "polynomial1",
  smoothing: 0,
  points: [],
  kernel: "bilinear",
});
/**
 * The fit of the points that are switched on, and which of them each figure belongs to; the reason
 * where there is none.
 */
export function fitOf(
  place: PointsPlace,
  picture: boolean,
): { fit: PointFit; used: ControlPoint[] } | { problem: string } {
  const used = usedPoints(place);
  if (used.length < LEAST_POINTS[place.model]) {
    return {
      problem: `${LEAST_POINTS[place.model] - used.length} more ${LEAST_POINTS[place.model] - used.length === 1 ? "point is" : "points are"} needed`,
    };
  }
  try {
    return { fit: fitPoints(used, place.model, place.smoothing, picture), used };
  } catch (error) {
    return { problem: sayError(error) };
  }
}
/** Length of one unit of the scene on the map, metres: for residuals in metres. */
export function metresPerUnit(fit: PointFit, at: readonly [number, number]): number {
  const pathAt = pathFunction(fit.path);
  const delta = 1;
  const moved = pathAt(...at);
  const e = pathAt(at[0] + delta, at[1]);
  const n = pathAt(at[0], at[1] + delta);
  const det = Math.abs(
    (e[0] - moved[0]) * (n[1] - moved[1]) - (e[1] - moved[1]) * (n[0] - moved[0]),
  );
  return det > 0 ? 1 / Math.sqrt(det) : NaN;
}
/** The next free number, as the name of a point. */
export const nextName = (points: readonly ControlPoint[]): string => {
  let k = points.length + 1;
  while (points.some((point) => point.name === String(k))) {
    k++;
  }
  return String(k);
};

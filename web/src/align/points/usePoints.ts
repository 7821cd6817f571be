import { useMemo } from "react";
import type { ControlPoint } from "@hindglance/core/align/alignment";
import { type Path, pathFunction } from "@hindglance/core/align/mapping";
import { fitPoints } from "@hindglance/core/align/points";
import type { Mark } from "../../map/pinLayer";
import type { Marking, Spot } from "../useMarking";

/** The two pictures side by side: the date and its reference. */
export type Side = "left" | "right";

/** Where one side's places lie on the other; only to look at about the same place on both. */
export interface Crossing {
  /** From the reference into the date. */
  toDate(spot: Spot): Spot;
  toReference(spot: Spot): Spot;
}

const through = (path: Path) => {
  const at = pathFunction(path);
  return (spot: Spot): Spot => at(...spot);
};

/** A simple path between both pictures, from two points on; null before. */
export function useCrossing(points: readonly ControlPoint[], picture: boolean): Crossing | null {
  return useMemo(() => {
    const on = points.filter((point) => point.on);
    const model = on.length >= 3 ? "polynomial1" : "similarity";
    const turned = on.map(({ from, to }) => ({ from: to, to: from }));
    try {
      return {
        toDate: through(fitPoints(on, model, 0, picture).path),
        toReference: through(fitPoints(turned, model, 0, picture).path),
      };
    } catch {
      // Too few points, or all in a line: nothing to go by yet.
      return null;
    }
  }, [points, picture]);
}

function stateOf(point: ControlPoint, worst: string | null): Mark["state"] {
  if (point.id === worst) {
    return "missed";
  }
  return point.on ? "met" : "unknown";
}

/** What is marked on one side: its points, the one that is picked, and half a point. */
export function marksOf(
  { points, worst, picked }: Marking,
  placeOf: (point: ControlPoint) => Spot,
  half: Spot | null,
): Mark[] {
  const all = points?.points ?? [];
  const own = all.map((point): Mark => ({
    at: placeOf(point),
    name: point.name,
    state: stateOf(point, worst),
  }));
  const rings = all
    .filter((point) => point.id === picked)
    .map((point): Mark => ({ at: placeOf(point), name: "", state: "spot" }));
  return [...own, ...rings, ...(half ? [{ at: half, name: "new", state: "spot" as const }] : [])];
}

/** Cells about a point in which a click picks it. */
const NEAR = 6;

/** The point that a click is meant for, if it is near one. */
export const pointNear = (
  points: readonly ControlPoint[],
  placeOf: (point: ControlPoint) => Spot,
  [x, y]: Spot,
  cell: number,
): ControlPoint | undefined =>
  points.find((point) => {
    const [px, py] = placeOf(point);
    return Math.hypot(px - x, py - y) < NEAR * cell;
  });

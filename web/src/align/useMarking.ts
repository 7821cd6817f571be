import { uuid } from "../lib/uuid";
import { useEffect, useState } from "react";
import type { PointsPlace } from "@hindglance/core/align/alignment";
import { worstPoint } from "@hindglance/core/align/points";
import type { AlignRow } from "./align";
import { emptyPoints, fitOf, nextName } from "./figures";
import type { History } from "./useHistory";

/** A place in one of the two pictures, in its own coordinates. */
export type Spot = [number, number];

/** A point that is marked on one side and waits for the other. */
export interface Half {
  from: Spot | null;
  to: Spot | null;
}

const NEITHER: Half = { from: null, to: null };

/** State that begins anew with every date. */
function usePerDate<T>(dateId: string | null, first: T): [T, (part: Partial<T>) => void] {
  const [kept, keep] = useState({ dateId, state: first });
  if (kept.dateId !== dateId) {
    keep({ dateId, state: first });
  }
  const { state } = kept.dateId === dateId ? kept : { state: first };
  return [state, (part) => keep({ dateId, state: { ...state, ...part } })];
}

const FIRST = {
  pending: NEITHER,
  /** The point that is picked in the table. */
  picked: null as string | null,
  /** Whether the date is shown as Align leaves it, not as it came. */
  aligned: true,
  /** Whether a date with points is looked at over its reference, not marked. */
  over: false,
};

function worstOf(points: PointsPlace, isPicture: boolean): string | null {
  const found = fitOf(points, isPicture);
  const k = "fit" in found ? worstPoint(found.fit) : -1;
  return "fit" in found && k >= 0 ? found.used[k]!.id : null;
}

/** Lets go of a half-marked point on Escape. */
function useLetGo(letGo: () => void): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (event.key === "Escape") {
        letGo();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [letGo]);
}

/**
 * Marking of control points in a date and its reference, and how the date is shown. Half a point
 * waits for its other half.
 */
export function useMarking(date: AlignRow | null, referenceId: string | null, history: History) {
  const [state, set] = usePerDate(date?.sceneId ?? null, FIRST);
  const place = date?.align?.place;
  const empty = date && referenceId ? emptyPoints(referenceId) : null;
  const points = place?.kind === "points" ? place : empty;
  useLetGo(() => set({ pending: NEITHER }));
  const mark = (half: Partial<Half>) => {
    const { from, to } = { ...state.pending, ...half };
    if (!points || !from || !to) {
      set({ pending: { from, to } });
      return;
    }
    set({ pending: NEITHER });
    const point = { id: uuid(), name: nextName(points.points), from, to, on: true };
    history.change({ place: { ...points, points: [...points.points, point] } });
  };
  return {
    ...state,
    points,
    /** The point that spoils the fit, if one does. */
    worst: points && date ? worstOf(points, date.picture) : null,
    mark,
    pick: (picked: string | null) => set({ picked }),
    setAligned: (aligned: boolean) => set({ aligned }),
    turnOver: () => set({ over: !state.over, aligned: true }),
    setPoints: (changed: PointsPlace) => history.change({ place: changed }),
  };
}

/** Control points as they are marked. */
export type Marking = ReturnType<typeof useMarking>;

import { useEffect, useState } from "react";
import type { Verdict } from "@hindglance/core/review/standing";
import type { ChangeMap, PatchRow } from "../api/types";
import { type PatchQuery, firstAsk, placeOf } from "./patches";
import { useSettled } from "../compare/useSettled";
import { projectionOf } from "../map/projection";
import { useDraw } from "../map/useDraw";
import { ringOf } from "./lasso";
import { useOutlines } from "./useOutlines";
import { useVerdicts } from "./useVerdicts";

/** How long a patch stays picked before it is drawn, milliseconds: keys go faster than pictures. */
export const STILL_MS = 150;

/** Brings a patch into view once it stays picked; what is passed by is not drawn. */
function useFollow(show: (patch: PatchRow) => void) {
  const [followed, follow] = useState<PatchRow | null>(null);
  const still = useSettled(followed, STILL_MS, false);
  useEffect(() => {
    if (still) {
      show(still);
    }
  }, [still, show]);
  return follow;
}

/** Which patches are listed, which one is picked, and its place in the list. */
export function useReview(map: ChangeMap) {
  const [ask, setAsk] = useState<PatchQuery>(() => firstAsk(map));
  const [picked, setPicked] = useState<PatchRow | null>(null);
  const [place, setPlace] = useState<number | null>(null);
  const outlines = useOutlines(map, ask, picked?.number ?? null);
  const follow = useFollow(outlines.show);
  /** Finds the row of a patch; without it the list stays where it is. */
  const find = (patch: PatchRow, asked = ask) =>
    void placeOf(map, asked, patch).then(
      (row) => setPlace((old) => row ?? old),
      () => {},
    );
  /** Asks for others; the picked one may stand elsewhere among them, or not at all. */
  const change = (part: Partial<PatchQuery>) => {
    const next = { ...ask, ...part };
    setAsk(next);
    setPlace(null);
    if (picked) {
      find(picked, next);
    }
  };
  const [isLasso, setLasso] = useState(false);
  useDraw(
    outlines.olMap,
    isLasso && "freehand",
    projectionOf(map.info.grid.crs),
    (drawn) => {
      setLasso(false);
      change({ within: ringOf(drawn) });
    },
    () => setLasso(false),
  );
  const verdicts = useVerdicts(map, () => {
    // Patches that stand otherwise now may have left the list.
    if (picked && ask.standings) {
      find(picked);
    }
  });
  return {
    ask,
    /** Whether a ring is drawn around the patches that are wanted. */
    isLasso,
    setLasso,
    verdicts,
    /** Says a verdict of the picked patch; whether there is one, and it was said. */
    judge: (verdict: Verdict): boolean =>
      picked !== null && verdicts.say({ numbers: [picked.number], verdict }),
    change,
    picked,
    place,
    outlines,
    /** Picks a patch of the list, and brings it into view. */
    pickRow: (patch: PatchRow, row: number) => {
      setPicked(patch);
      setPlace(row);
      follow(patch);
    },
    /** Picks the patch under a place of the map, and finds its row. */
    pickOnMap: (at: [number, number]) => {
      const patch = isLasso ? null : outlines.at(at);
      if (patch) {
        setPicked(patch);
        setPlace(null);
        follow(null);
        find(patch);
      }
    },
  };
}

/** The patches under review. */
export type ReviewOnScreen = ReturnType<typeof useReview>;

import { useState } from "react";
import type { ChangeMap, PatchRow } from "../api/types";
import { type PatchQuery, firstAsk, placeOf } from "./patches";
import { useOutlines } from "./useOutlines";

/** Which patches are listed, which one is picked, and its place in the list. */
export function useReview(map: ChangeMap) {
  const [ask, setAsk] = useState<PatchQuery>(() => firstAsk(map));
  const [picked, setPicked] = useState<PatchRow | null>(null);
  const [place, setPlace] = useState<number | null>(null);
  const outlines = useOutlines(map, ask, picked?.number ?? null);
  return {
    ask,
    /** Asks for others; where the picked one stands is not known then. */
    change: (part: Partial<PatchQuery>) => {
      setAsk({ ...ask, ...part });
      setPlace(null);
    },
    picked,
    place,
    outlines,
    /** Picks a patch of the list, and brings it into view. */
    pickRow: (patch: PatchRow, row: number) => {
      setPicked(patch);
      setPlace(row);
      outlines.show(patch);
    },
    /** Picks the patch under a place of the map, and finds its row. */
    pickOnMap: (at: [number, number]) => {
      const patch = outlines.at(at);
      if (patch) {
        setPicked(patch);
        setPlace(null);
        // Without its row the list stays where it is.
        void placeOf(map, ask, patch).then(setPlace, () => {});
      }
    },
  };
}

/** The patches under review. */
export type ReviewOnScreen = ReturnType<typeof useReview>;

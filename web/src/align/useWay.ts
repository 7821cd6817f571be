import { useState } from "react";
import type { AlignRow } from "./align";
import { firstBand } from "./figures";
import { bandsOf } from "./rows";

/** How a date is laid: by an offset that is measured, or by points that are marked. */
export type Way = "offset" | "points";

/** The way of each date, and the band in which dates are looked at. Pictures only have points. */
export function useWay(date: AlignRow | null, reference: AlignRow | null) {
  const [chosen, setChosen] = useState<Record<string, Way>>({});
  const [bandName, setBand] = useState<string | null>(null);
  const bands = bandsOf(reference).map(({ name }) => name);
  const usual = chosen[date?.sceneId ?? ""] ?? date?.align?.place?.kind ?? "offset";
  const way: Way = date?.picture ? "points" : usual;
  return {
    way,
    setWay: (next: Way) => date && setChosen({ ...chosen, [date.sceneId]: next }),
    bands,
    band: bandName && bands.includes(bandName) ? bandName : firstBand(bandsOf(reference)),
    setBand,
  };
}

/** How the date is laid, and by which band. */
export type Laying = ReturnType<typeof useWay>;

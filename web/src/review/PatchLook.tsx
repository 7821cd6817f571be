import type { ChangeMap, PatchRow, Scene, Study } from "../api/types";
import { useSettled } from "../compare/useSettled";
import { PatchChips } from "./PatchChips";
import { PatchSeries } from "./PatchSeries";
import { STILL_MS } from "./useReview";
import type { DatesOfMap, useLookOfMap } from "./useDates";

interface Props {
  study: Study;
  map: ChangeMap;
  patch: PatchRow;
  before: Scene | null;
  after: Scene | null;
  dates: DatesOfMap;
  look: ReturnType<typeof useLookOfMap>;
}

/** The picked patch on both dates, and over all of them, once it stays picked. */
export function PatchLook({ study, map, patch, before, after, dates, look }: Props) {
  const still = useSettled(patch, STILL_MS, false);
  if (!dates.nodes || !before || !after) {
    return null;
  }
  const shared = { map, patch: still, before, after, bandName: look.bandName };
  return (
    <>
      <PatchChips {...shared} nodes={dates.nodes} stretch={look.stretch} />
      <PatchSeries {...shared} study={study} />
    </>
  );
}

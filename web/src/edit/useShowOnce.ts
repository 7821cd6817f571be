import { useEffect, useRef } from "react";
import type OlMap from "ol/Map";
import type { EditedOutline } from "@hindglance/contract/edits";
import type { ChangeMap } from "../api/types";
import { showBounds } from "../map/showBounds";

/** Brings the patch that the address asks for into view, once it is known. */
export function useShowOnce(
  olMap: OlMap | null,
  map: ChangeMap,
  patch: EditedOutline | null,
): void {
  const isDone = useRef(false);
  useEffect(() => {
    if (olMap && patch && !isDone.current) {
      isDone.current = true;
      showBounds(olMap, patch, map.info.grid);
    }
  }, [olMap, patch, map]);
}

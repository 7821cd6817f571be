import { useState } from "react";

type Side = "left" | "right";
type Place = [number, number];

/** Where the cursor is on a pair of maps, and over which of them: the other one shows its twin. */
export function useCursor() {
  const [cursor, setCursor] = useState<{ at: Place; over: Side } | null>(null);
  return {
    /** In the coordinates of the maps; null while it is over neither. */
    at: cursor?.at ?? null,
    pointer: (over: Side) => (at: Place | null) => setCursor(at && { at, over }),
    twinOf: (side: Side) => (cursor && cursor.over !== side ? cursor.at : null),
  };
}

import { useEffect } from "react";
import type { Scene } from "../api/types";
import { isTyping } from "../frame/typing";
import { useCompare } from "./state";

/** The scene beside the after date, when it still lies after the before date. */
function neighbour(
  dates: readonly Scene[],
  pair: { beforeId: string; afterId: string },
  by: -1 | 1,
): Scene | null {
  const k = dates.findIndex((scene) => scene.id === pair.afterId);
  const scene = dates[k + by];
  const before = dates.find((other) => other.id === pair.beforeId);
  return scene?.acquiredAt && before?.acquiredAt && scene.acquiredAt > before.acquiredAt
    ? scene
    : null;
}

/** Keys of Compare: undo and redo, and the after date moved by one. */
export function useCompareKeys(
  dates: readonly Scene[],
  pair: { beforeId: string; afterId: string } | null,
  setPair: (beforeId: string, afterId: string) => void,
): void {
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      if (isTyping(event)) {
        return;
      }
      if ((event.ctrlKey || event.metaKey) && event.key.toLowerCase() === "z") {
        event.preventDefault();
        const { undo, redo } = useCompare.getState();
        (event.shiftKey ? redo : undo)();
      }
      if (pair && (event.key === "[" || event.key === "]")) {
        const scene = neighbour(dates, pair, event.key === "[" ? -1 : 1);
        if (scene) {
          setPair(pair.beforeId, scene.id);
        }
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [dates, pair, setPair]);
}

import { useEffect } from "react";

/** Whether the keyboard belongs to a text that is being typed. */
const isTyping = ({ target }: KeyboardEvent): boolean =>
  target instanceof HTMLElement && /^(INPUT|TEXTAREA)$/.test(target.tagName);

/** Calls `undo` on Ctrl Z or ⌘ Z, and `redo` with Shift where there is one, except while a text is typed. */
export function useUndoKey(undo: () => void, redo?: () => void): void {
  useEffect(() => {
    const onKey = (e: KeyboardEvent) => {
      const isUndo = (e.ctrlKey || e.metaKey) && e.key.toLowerCase() === "z";
      if (isUndo && !isTyping(e)) {
        e.preventDefault();
        (e.shiftKey && redo ? redo : undo)();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, [undo, redo]);
}

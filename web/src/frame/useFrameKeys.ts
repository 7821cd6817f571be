import { useEffect } from "react";
import { type View, useUi } from "../state/ui";
import { isTyping } from "./typing";

const VIEW_OF: Record<string, View> = { 1: "pair", 2: "curtain", 3: "blend", 4: "one" };

/** What takes Space for itself when it has the focus. */
const TAKES_SPACE = "button, a, [role=radio], [role=slider], [role=dialog]";

/** Space on a map or the page glances; on a button it presses that. */
const glances = ({ code, target }: KeyboardEvent): boolean =>
  code === "Space" && !(target instanceof Element && target.closest(TAKES_SPACE));

function onKeyDown(event: KeyboardEvent): void {
  if (isTyping(event) || event.ctrlKey || event.metaKey || event.altKey) {
    return;
  }
  const { setHelp, setView, setGlancing } = useUi.getState();
  const view = VIEW_OF[event.key];
  if (view) {
    setView(view);
  } else if (event.key === "?") {
    event.preventDefault();
    setHelp(true);
  } else if (glances(event)) {
    event.preventDefault();
    setGlancing(true);
  }
}

const stopGlancing = (): void => useUi.getState().setGlancing(false);

function onKeyUp(event: KeyboardEvent): void {
  if (event.code === "Space") {
    stopGlancing();
  }
}

/** Keys that work wherever one does not type. */
export function useFrameKeys(): void {
  useEffect(() => {
    window.addEventListener("keydown", onKeyDown);
    window.addEventListener("keyup", onKeyUp);
    window.addEventListener("blur", stopGlancing);
    return () => {
      window.removeEventListener("keydown", onKeyDown);
      window.removeEventListener("keyup", onKeyUp);
      window.removeEventListener("blur", stopGlancing);
    };
  }, []);
}

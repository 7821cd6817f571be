import { useEffect, useEffectEvent } from "react";
import { isTyping } from "./typing";

/**
 * Calls back for keys without Ctrl, ⌘ and Alt while nothing is typed.
 * @param onPress is given the key in small letters; says whether it was for it
 */
export function usePlainKey(onPress: (key: string) => boolean): void {
  const press = useEffectEvent(onPress);
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const isPlain = !event.ctrlKey && !event.metaKey && !event.altKey && !isTyping(event);
      if (isPlain && press(event.key.toLowerCase())) {
        event.preventDefault();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}

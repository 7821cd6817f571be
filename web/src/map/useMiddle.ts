import { useEffect, useEffectEvent, useState } from "react";
import type OlMap from "ol/Map";

/**
 * Lets people who use the keyboard pick the middle of a map, which the arrow keys move: Enter while the
 * map has the focus.
 * @param onPick gets the place in the map's coordinates; null: nothing is picked
 * @returns whether the map has the keyboard's focus, so that its middle can be shown
 */
export function useMiddle(
  map: OlMap | null,
  onPick: ((at: [number, number]) => void) | null,
): boolean {
  const [hasFocus, setHasFocus] = useState(false);
  const isOn = onPick !== null;
  const pick = useEffectEvent((at: [number, number]) => onPick?.(at));
  useEffect(() => {
    const element = map?.getTargetElement();
    if (!isOn || !map || !element) {
      return;
    }
    const look = () => setHasFocus(element.matches(":focus-visible"));
    const key = (e: KeyboardEvent) => {
      const middle = map.getView().getCenter();
      if (e.key === "Enter" && middle) {
        e.preventDefault();
        pick([middle[0]!, middle[1]!]);
      }
    };
    look();
    element.addEventListener("focus", look);
    element.addEventListener("blur", look);
    element.addEventListener("keydown", key);
    return () => {
      element.removeEventListener("focus", look);
      element.removeEventListener("blur", look);
      element.removeEventListener("keydown", key);
    };
  }, [map, isOn]);
  return isOn && hasFocus;
}

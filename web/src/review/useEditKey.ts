import { useEffect, useEffectEvent } from "react";
import { useSearchParams } from "react-router";
import { isTyping } from "../frame/typing";

/** E goes to the edits of the map, with the picked patch. */
export function useEditKey(picked: number | null): void {
  const [, set] = useSearchParams();
  const edit = useEffectEvent(() =>
    set((params) => {
      params.set("of", "edits");
      if (picked !== null) {
        params.set("patch", String(picked));
      }
      return params;
    }),
  );
  useEffect(() => {
    const onKey = (event: KeyboardEvent) => {
      const isPlain = !event.ctrlKey && !event.metaKey && !event.altKey && !isTyping(event);
      if (isPlain && event.key.toLowerCase() === "e") {
        edit();
      }
    };
    window.addEventListener("keydown", onKey);
    return () => window.removeEventListener("keydown", onKey);
  }, []);
}

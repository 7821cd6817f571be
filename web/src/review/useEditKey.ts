import { useSearchParams } from "react-router";
import { usePlainKey } from "../frame/usePlainKey";

/** E goes to the edits of the map, with the picked patch. */
export function useEditKey(picked: number | null): void {
  const [, set] = useSearchParams();
  usePlainKey((key) => {
    if (key !== "e") {
      return false;
    }
    set((params) => {
      params.set("of", "edits");
      if (picked !== null) {
        params.set("patch", String(picked));
      }
      return params;
    });
    return true;
  });
}

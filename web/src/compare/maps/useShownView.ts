import type { CompareNodes } from "../../api/types";
import { type View, useUi } from "../../state/ui";
import { isOfClasses } from "./useDateLooks";

/** How both dates are shown: as was chosen, but classes of two dates cannot be blended in one picture. */
export function useShownView(nodes: CompareNodes): View {
  const view = useUi((state) => state.view);
  return view === "blend" && isOfClasses(nodes) ? "one" : view;
}

import { type View, useUi } from "../state/ui";

/**
 * How two sides are shown: as was chosen; where they cannot be blended in one picture, one of them.
 * @param isBlended whether they can be
 */
export function useShownView(isBlended: boolean): View {
  const view = useUi((state) => state.view);
  return view === "blend" && !isBlended ? "one" : view;
}

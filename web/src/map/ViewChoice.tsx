import { type View, useUi } from "../state/ui";
import { MapChoice } from "./MapChoice";

const NAMES: [View, string][] = [
  ["pair", "Pair"],
  ["curtain", "Curtain"],
  ["blend", "Blend"],
  ["one", "One"],
];
const VIEWS = NAMES.map(([value, name], k) => ({ value, name, hint: `Key ${k + 1}` }));

/**
 * How two dates are shown, over the top of the map; keys 1 to 4 do the same.
 * @param view how they are shown now
 * @param isBlended whether they can be blended in one picture
 */
export function ViewChoice({ view, isBlended }: { view: View; isBlended: boolean }) {
  return (
    <MapChoice
      label="View"
      value={view}
      options={VIEWS.filter(({ value }) => isBlended || value !== "blend")}
      onChange={(value) => useUi.getState().setView(value)}
    />
  );
}

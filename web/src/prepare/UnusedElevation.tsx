import { elevationOfChain, withElevation } from "@hindglance/core/chain/radarChain";
import { Section } from "../frame/Section";
import { Button } from "../ui/Button";
import type { PrepareView } from "./chainState";
import type { BoardWork } from "./usePrepare";

/** Offers an elevation that came into the study after its chain was set. */
export function UnusedElevation({ view, set }: { view: PrepareView; set: BoardWork["set"] }) {
  const { chain, exceptions, heldOut } = view;
  const elevation = view.elevations[0];
  if (!elevation || elevationOfChain(chain) !== null) {
    return null;
  }
  return (
    <Section title="Elevation">
      <div className="flex items-center justify-between gap-3">
        <span>
          <b>{elevation.name}</b> is in the study, and no step works with it.
        </span>
        <Button
          onClick={() => set({ chain: withElevation(chain, elevation.id), exceptions, heldOut })}
        >
          Flatten and place by it
        </Button>
      </div>
    </Section>
  );
}

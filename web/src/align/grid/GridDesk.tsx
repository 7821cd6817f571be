import { type Family, gridOf } from "@hindglance/core/chain/family";
import { isSensorFrame } from "@hindglance/core/grid/frames";
import { type Grid, sameGrid } from "@hindglance/core/grid/grid";
import type { Scene, Study } from "../../api/types";
import { Button } from "../../ui/Button";
import { Warning } from "../../ui/Messages";
import { FamilyGrid } from "./FamilyGrid";
import { gridWords } from "./gridWords";
import { type ChainGrid, useChainGrid } from "./useChainGrid";

interface Props {
  study: Study;
  scenes: readonly Scene[];
  reference: Grid;
}

/** Whether a study has dates that a family's chain prepares. */
const hasDates = (scenes: readonly Scene[], family: Family): boolean =>
  scenes.some(
    ({ info, imageId }) => imageId && (family === "radar" ? info?.sensor : info?.optical),
  );

/**
 * The one grid on which dates are compared: proposed from the images' own cells and the fitting
 * zone, and changed here for all dates of a family at once.
 */
export function GridDesk({ study, scenes, reference }: Props) {
  const hasRadar = hasDates(scenes, "radar");
  const hasOptical = hasDates(scenes, "optical");
  const radar = useChainGrid(study.id, "radar", hasRadar);
  const optical = useChainGrid(study.id, "optical", hasOptical);
  if (!hasRadar && !hasOptical) {
    return isSensorFrame(reference.crs) ? null : (
      <p className="text-soft">
        Dates are compared on the cells of the reference: {gridWords(reference)}.
      </p>
    );
  }
  return (
    <>
      {[radar, optical].map((chain) => (
        <FamilyGrid
          key={chain.family}
          study={study}
          scenes={scenes}
          chain={chain}
          named={hasRadar && hasOptical}
        />
      ))}
      <Apart radar={radar} optical={optical} />
    </>
  );
}

const gridOfChain = ({ family, view }: ChainGrid): Grid | null =>
  view && gridOf(family, view.chain);

/** Says where both families lie on different cells, and brings them together. */
function Apart({ radar, optical }: { radar: ChainGrid; optical: ChainGrid }) {
  const radarGrid = gridOfChain(radar);
  const opticalGrid = gridOfChain(optical);
  if (!radarGrid || !opticalGrid || sameGrid(radarGrid, opticalGrid)) {
    return null;
  }
  return (
    <Warning>
      Radar and optical dates lie on different cells.{" "}
      <span className="mt-1 flex gap-2">
        <Button className="h-7" onClick={() => optical.set(radarGrid)}>
          All on radar cells
        </Button>
        <Button className="h-7" onClick={() => radar.set(opticalGrid)}>
          All on optical cells
        </Button>
      </span>
    </Warning>
  );
}

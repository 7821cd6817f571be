import type { ReactNode } from "react";
import type { ChangeMap } from "../api/types";
import { DOUBT_STOPS } from "../map/doubtRamp";
import { Chip } from "../ui/Chip";

interface ChipProps {
  map: ChangeMap;
  isShown: boolean;
  show(isShown: boolean): void;
}

/** Shows the doubt of every cell on the map; says where it is not counted. */
export function DoubtChip({ map, isShown, show }: ChipProps) {
  const isCounted = map.doubt !== null;
  return (
    <Chip
      className="border-dashed text-spruce disabled:opacity-50"
      on={isShown}
      aria-pressed={isShown}
      disabled={!isCounted}
      title={
        isCounted
          ? "Shows on the map how likely each cell is something else than the map says"
          : "The doubt of this map is not counted yet, or cannot be without pictures of its dates. Maps that are written now have it"
      }
      onClick={() => show(!isShown)}
    >
      doubt
    </Chip>
  );
}

/** A map with the colours of doubt in its corner, while it is shown. */
export function WithDoubtLegend({ isShown, children }: { isShown: boolean; children: ReactNode }) {
  const colours = DOUBT_STOPS.map(({ color }) => color).join(", ");
  return (
    <div className="relative h-full">
      {children}
      {isShown && (
        <div className="pointer-events-none absolute bottom-14 left-3 z-10 whitespace-nowrap rounded-field bg-night/85 px-2.5 py-1.5 text-label text-white">
          <div className="mb-1">Doubt of a cell</div>
          <div
            aria-hidden
            className="h-2 w-36 rounded-full"
            style={{ background: `linear-gradient(90deg, ${colours})` }}
          />
          <div className="mt-0.5 flex justify-between">
            <span>5 %</span>
            <span>50 % and more</span>
          </div>
        </div>
      )}
    </div>
  );
}

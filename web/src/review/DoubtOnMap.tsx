import { DOUBT_STOPS } from "../map/doubtRamp";
import type { ChangeMap } from "../api/types";
import { Chip } from "../ui/Chip";

interface Props {
  map: ChangeMap;
  isShown: boolean;
  show(isShown: boolean): void;
}

/** Shows the doubt of every cell on the map, with its colours; says where it is not counted yet. */
export function DoubtOnMap({ map, isShown, show }: Props) {
  if (!map.doubt) {
    return (
      <p className="mt-2 text-label text-soft">
        The doubt of this map is not counted: it is while the map is new, or cannot be without
        pictures of its dates. Writing the map again counts it.
      </p>
    );
  }
  const colours = DOUBT_STOPS.map(({ color }) => color).join(", ");
  return (
    <div className="mt-2 flex items-center gap-3">
      <Chip
        on={isShown}
        aria-pressed={isShown}
        title="How likely each cell is something else than the map says"
        onClick={() => show(!isShown)}
      >
        doubt on the map
      </Chip>
      {isShown && (
        <span className="flex items-center gap-1.5 text-label text-soft">
          under 5 %
          <span
            aria-hidden
            className="h-2 w-20 rounded-full border border-line"
            style={{ background: `linear-gradient(90deg, ${colours})` }}
          />
          50 % and more
        </span>
      )}
    </div>
  );
}

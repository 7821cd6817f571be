import { number } from "../lib/format";
import { rampById } from "../map/ramps";

/** The colours of depth, in the corner of a map. */
export function DepthLegend({ deepestM }: { deepestM: number }) {
  const colours = rampById("moisture").stops.join(", ");
  return (
    <div className="pointer-events-none absolute bottom-2.5 left-2.5 z-10 rounded-field bg-night/85 px-2.5 py-1.5 text-label text-white">
      <div className="mb-1">Depth, m</div>
      <div
        aria-hidden
        className="h-2 w-28 rounded-full"
        style={{ background: `linear-gradient(90deg, ${colours})` }}
      />
      <div className="mt-0.5 flex justify-between">
        <span>0</span>
        <span>{number(deepestM, 1)}</span>
      </div>
    </div>
  );
}

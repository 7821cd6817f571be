import { useMemo, useState } from "react";
import type { Layer } from "@hindglance/core/change/rules";
import {
  type Suggestion,
  USUAL_FAR,
  roundedIn,
  suggestions,
} from "@hindglance/core/change/suggestions";
import type { Histogram } from "@hindglance/core/raster/histogram";
import { number } from "../../lib/format";
import { Chip } from "../../ui/Chip";
import { Pop } from "../../ui/Pop";
import { NumberLine } from "../../ui/NumberLine";
import { type LayerUnit, rounded } from "../units";
import type { Threshold } from "./thresholds";

/** Threshold that tiles with two heaps have in common. */
export interface TileThreshold {
  value: number;
  found: number;
  tiles: number;
}

interface Props {
  histogram: Histogram;
  tiles: TileThreshold | null;
  layer: Layer;
  unit: LayerUnit;
  threshold: Threshold;
  onSet(value: number): void;
}

const ofTiles = (histogram: Histogram, { value, found, tiles }: TileThreshold): Suggestion => ({
  method: "tiles",
  name: "Tiles",
  value: roundedIn(histogram, value),
  help: `Martinis 2009: ${found} of ${tiles} tiles of 64 × 64 cells hold two heaps; the middle one of their thresholds. Finds small floods.`,
});

/** What a suggestion comes to for a threshold: of an upper one, the other side of it. */
function valueFor({ value, upper }: Suggestion, { op }: Threshold, layer: Layer, unit: LayerUnit) {
  if (!op.startsWith(">")) {
    return value;
  }
  if (upper !== undefined) {
    return rounded(upper, unit);
  }
  return layer === "measure" && value < 0 ? rounded(-value, unit) : value;
}

/** Thresholds that the histogram itself suggests; a click takes one. */
export function Suggestions({ histogram, tiles, layer, unit, threshold, onSet }: Props) {
  const [far, setFar] = useState(USUAL_FAR);
  const hints = useMemo(
    () => [...suggestions(histogram, far), ...(tiles ? [ofTiles(histogram, tiles)] : [])],
    [histogram, tiles, far],
  );
  return (
    <>
      {hints.map((hint) => {
        const value = valueFor(hint, threshold, layer, unit);
        return (
          <Chip
            key={hint.method}
            on={threshold.value === value}
            title={`${hint.help} Moves the threshold of ${threshold.name}.`}
            onClick={() => onSet(value)}
          >
            {hint.name} <b className="font-mono text-[11.5px]">{number(value, unit.decimals)}</b>
          </Chip>
        );
      })}
      <HowFar far={far} setFar={setFar} />
    </>
  );
}

interface FarProps {
  far: typeof USUAL_FAR;
  setFar(far: typeof USUAL_FAR): void;
}

/** How far out suggestions lie that go by deviations or by a share. */
function HowFar({ far, setFar }: FarProps) {
  return (
    <Pop
      label="How far out"
      width={230}
      trigger={
        <Chip
          aria-label="How far out suggestions lie"
          title="How many standard deviations, and which share"
          className="px-1.5 text-soft"
        >
          …
        </Chip>
      }
    >
      <NumberLine
        name="Standard deviations"
        value={far.sigmas}
        decimals={1}
        step={0.5}
        min={0.5}
        max={6}
        onCommit={(sigmas) => setFar({ ...far, sigmas })}
      />
      <NumberLine
        name="Outermost share, %"
        label="Outermost share in per cent"
        value={far.percent}
        decimals={1}
        step={0.5}
        min={0.1}
        max={49}
        onCommit={(percent) => setFar({ ...far, percent })}
      />
    </Pop>
  );
}

import { useMemo, useState } from "react";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import type { Heaps } from "@hindglance/core/change/firstMap/heaps";
import type { Layer } from "@hindglance/core/change/rules";
import {
  type Suggestion,
  USUAL_FAR,
  roundedIn,
  suggestions,
  supported,
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
  /** Histograms of two halves of the cells. */
  halves: readonly Histogram[];
  tiles: TileThreshold | null;
  /** The first map of the pair, where one was made. */
  first: FirstMap | null;
  layer: Layer;
  unit: LayerUnit;
  threshold: Threshold;
  onSet(value: number): void;
}

/** A suggestion as it is offered. */
interface Hint {
  method: string;
  name: string;
  value: number;
  upper?: number;
  help: string;
}

const ofTiles = (histogram: Histogram, { value, found, tiles }: TileThreshold): Hint => ({
  method: "tiles",
  name: "Tiles",
  value: roundedIn(histogram, value),
  help: `Martinis 2009: ${found} of ${tiles} tiles of 64 × 64 cells hold two heaps; the middle one of their thresholds. Finds small floods.`,
});

/** What a threshold has to show for itself, in words. */
function evidenceSaid({ d, valley, share, halves, swing }: Heaps): string {
  const apart = halves === null ? "" : `, halves of the cells ${number(halves, 2)} apart`;
  return `Ashman's D ${number(d, 1)}, valley ${number(100 * valley)} %, smaller side ${number(100 * share, 1)} %${apart}, a small step changes ${number(100 * swing)} %.`;
}

const withEvidence = ({ heaps, ...hint }: Suggestion): Hint => ({
  ...hint,
  help: `${hint.help} ${evidenceSaid(heaps)}`,
});

/** What the first map says of a threshold: the same comparison of the same layer in its classes. */
function ofFirstMap(first: FirstMap | null, { layer, op }: Threshold): Hint[] {
  const found = first?.rules
    .filter(({ off }) => !off)
    .flatMap(({ all }) => all)
    .find((condition) => condition.layer === layer && condition.op === op);
  return found
    ? [
        {
          method: "firstMap",
          name: "Both dates",
          value: found.value,
          upper: found.value,
          help: "From the levels of land and water that both dates know.",
        },
      ]
    : [];
}

/** What a suggestion comes to for a threshold: of an upper one, the other side of it. */
function valueFor({ value, upper }: Hint, { op }: Threshold, layer: Layer, unit: LayerUnit) {
  if (!op.startsWith(">")) {
    return value;
  }
  if (upper !== undefined) {
    return rounded(upper, unit);
  }
  return layer === "measure" && value < 0 ? rounded(-value, unit) : value;
}

/** Thresholds that the pair and the histogram suggest; a click takes one. */
export function Suggestions(props: Props) {
  const { histogram, halves, tiles, first, layer, unit, threshold, onSet } = props;
  const [far, setFar] = useState(USUAL_FAR);
  const [anyway, setAnyway] = useState(false);
  const hints = useMemo(
    () => [
      ...supported(suggestions(histogram, far, halves)).map(withEvidence),
      ...(tiles ? [ofTiles(histogram, tiles)] : []),
    ],
    [histogram, halves, tiles, far],
  );
  if (layer === "measure" && first && !first.evidence.found && !anyway) {
    return <Nothing said={first.evidence.notes[0]?.text} onAnyway={() => setAnyway(true)} />;
  }
  return (
    <>
      {[...ofFirstMap(first, threshold), ...hints].map((hint) => {
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

/** What stands in place of suggestions where nothing changed. */
const Nothing = ({ said = "", onAnyway }: { said?: string; onAnyway(): void }) => (
  <p className="text-label text-soft">
    {said.split(". ")[0]}: no threshold is suggested.{" "}
    <button type="button" className="font-medium text-spruce underline" onClick={onAnyway}>
      Show methods anyway
    </button>
  </p>
);

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

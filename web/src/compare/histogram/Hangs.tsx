import { fragility } from "@hindglance/core/change/fragility";
import type { Histogram } from "@hindglance/core/raster/histogram";
import { number } from "../../lib/format";
import { type LayerUnit, withUnit } from "../units";
import type { Threshold } from "./thresholds";

interface Props {
  histogram: Histogram;
  threshold: Threshold;
  /** A small step either way. */
  step: number;
  /** Area that the histogram stands for, once it is known. */
  seenM2: number | null;
  unit: LayerUnit;
}

/** A choice is fragile when a small step either way moves more than this part of what it takes. */
const FRAGILE = 0.25;

/**
 * How much hangs on a threshold, in words: the area that its side of this layer takes, and what a
 * small step would make of it.
 */
export function Hangs({ histogram, threshold, step, seenM2, unit }: Props) {
  const { share, lower, higher, swing } = fragility(histogram, threshold.op, threshold.value, step);
  const said = (part: number) =>
    seenM2 ? number((part * seenM2) / 1e6, 2) : number(100 * part, 1);
  const about = withUnit(number(step, unit.decimals), unit);
  return (
    <p
      className="min-w-0 truncate text-label text-soft"
      title={`The line over the histogram: the area that this layer alone gives ${threshold.name}, for every place of the threshold. ${about} lower or higher it would be ${said(lower)} to ${said(higher)}.`}
    >
      By this layer alone {said(share)} {seenM2 ? "km²" : "%"}; ±{about}: {said(lower)}–
      {said(higher)}
      {swing > FRAGILE && <b className="ml-1 font-semibold text-warnink">fragile</b>}
    </p>
  );
}

import { awayStep } from "../../graph/steps/normal";
import type { Histogram } from "../../raster/histogram";
import { number } from "../../text/number";
import type { ClassRule } from "../rules";
import { type MeasurePart, whenMeasure } from "./measure";
import { AWAY_FIELDS, awayNode, awaySaid, beginAway } from "./normalFields";

const NAME = "First day away from normal";
const HELP =
  "Days from before to the first date on which a cell left its normal, over all dates after before; 0 where it stayed. One class a date to begin with.";

/** Colours of dates in their order, darker the later. */
const COLORS = ["#f2c14e", "#e08e45", "#c8246f", "#8a2f7d", "#5b3c99", "#33498c", "#2a6f84"];
/** Dates that have a class of their own at the most. */
const MOST = COLORS.length;

/** Values from a half on that some cell has, as a histogram tells them. */
function daysIn({ min, max, counts }: Histogram): number[] {
  const width = (max - min) / counts.length;
  return counts.flatMap((count, k) => {
    const from = min + k * width;
    return count > 0 && from + width > 0.5 ? [from + width / 2] : [];
  });
}

/** A class for each date that some cell left on; one for all where they are not known, or too many. */
function rulesOf(histogram: Histogram | null): ClassRule[] {
  const days = histogram ? daysIn(histogram) : [];
  if (days.length === 0 || days.length > MOST) {
    return [whenMeasure(1, "Left its normal", COLORS[2]!, ">", 0.5)];
  }
  const edges = days.map((day, k) => (k === 0 ? 0.5 : (day + days[k - 1]!) / 2));
  return days.map((day, k) => ({
    ...{ label: k + 1, name: `From day ${number(day, 0)}`, color: COLORS[k]! },
    all: [
      { layer: "measure", op: ">", value: Math.round(edges[k]! * 10) / 10 },
      ...(k + 1 < days.length
        ? [
            {
              layer: "measure" as const,
              op: "<=" as const,
              value: Math.round(edges[k + 1]! * 10) / 10,
            },
          ]
        : []),
    ],
  }));
}

/** When each cell left its normal first. */
export const firstAway: MeasurePart<"firstAway"> = {
  key: "firstAway",
  onPower: { name: NAME, help: HELP },
  onValues: { name: NAME, help: HELP },
  said: (setup) => `first day ${awaySaid(setup)}`,
  rank: () => 21,
  unit: { unit: "days", decimals: 1, step: 1 },
  isChance: true,
  ofSeries: true,
  graph: [awayStep],
  node: (dates, setup) => awayNode(dates, setup, "first"),
  rules: rulesOf,
  byHistogram: true,
  presets: [],
  begin: beginAway,
  fields: AWAY_FIELDS,
};

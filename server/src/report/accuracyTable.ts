import type { Estimate } from "@hindglance/core/accuracy/estimates";
import {
  type Outcome,
  type OutcomeAccuracy,
  wholeOutcome,
  zoneOutcomes,
} from "@hindglance/core/accuracy/outcome";
import { isNearChange } from "@hindglance/core/accuracy/sample";
import { zoneName } from "@hindglance/core/tally/zoneName";
import { NO_CHANGE, classNames } from "@hindglance/core/tally/classNames";
import type { Sample, SampleResult } from "@hindglance/contract/accuracy";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { ChangeMap } from "../db/changeMaps";
import { type Row, rounded } from "./rounded";

/** What a map was tested on, and what came of it. */
export interface TestOfMap {
  sample: Sample;
  result: SampleResult;
}

/** An estimate with its interval, as cells of a line; empty where there is none. */
const estimateCells = (estimate: Estimate | null | undefined, scale = 1): (number | string)[] =>
  estimate
    ? [estimate.value, estimate.low, estimate.high].map((one) =>
        one === null ? "" : rounded(one * scale, 6),
      )
    : ["", "", ""];

type NameOf = (label: number) => string;

/** The error matrix in places or cells: rows are the map, columns the reference. */
const matrixLines = ({ labels, units }: OutcomeAccuracy, nameOf: NameOf): Row[] => [
  ["", ...labels.map(nameOf)],
  ...units.map((row, k) => [nameOf(labels[k]!), ...row]),
];

/** Figures of the whole map and class by class; areas only where places stand for the map. */
function figureLines(accuracy: OutcomeAccuracy, nameOf: NameOf, isOfPlaces: boolean): Row[] {
  return [
    ["", "estimate", "95 % from", "95 % to"],
    ["overall accuracy", ...estimateCells(accuracy.overall)],
    ["kappa", ...estimateCells(accuracy.kappa)],
    ["quantity disagreement", ...estimateCells(accuracy.quantity)],
    ["allocation disagreement", ...estimateCells(accuracy.allocation)],
    ...accuracy.classes.flatMap(({ label, area, users, producers, f1 }) => [
      ...(isOfPlaces ? [[`${nameOf(label)}: adjusted km2`, ...estimateCells(area, 1e-6)]] : []),
      [`${nameOf(label)}: user's accuracy`, ...estimateCells(users)],
      [`${nameOf(label)}: producer's accuracy`, ...estimateCells(producers)],
      [`${nameOf(label)}: F1`, ...estimateCells(f1)],
    ]),
  ];
}

/** Zone by zone, where every class of a zone has places enough. */
function zoneLines(map: ChangeMap, info: ImageInfo, result: SampleResult): Row[] {
  const zones = zoneOutcomes(result);
  if (zones.length === 0) {
    return [];
  }
  const nameOf = classNames(info);
  const nameOfZone = (zone: number) => zoneName(map.provenance.zones?.names, zone);
  return [
    ["zone", "figure", "estimate", "95 % from", "95 % to", "places"],
    ...zones.flatMap(({ zone, places, outcome }) => {
      const accuracy = outcome?.accuracy;
      if (!accuracy) {
        return [[nameOfZone(zone), "too few places in a class", "", "", "", places]];
      }
      return [
        [...[nameOfZone(zone), "overall accuracy", ...estimateCells(accuracy.overall), places]],
        ...accuracy.classes
          .filter(({ label }) => label !== NO_CHANGE.label)
          .map(({ label, area }) => [
            nameOfZone(zone),
            `${nameOf(label)}: adjusted km2`,
            ...estimateCells(area, 1e-6),
          ]),
      ];
    }),
  ];
}

/** How places were drawn and looked at, and what no figure tells of. */
function howLines({ sample, result }: TestOfMap, { leftOut }: Outcome, nameOf: NameOf): Row[] {
  const { design, nearCells, interpreters } = sample;
  return [
    ["drawn", design.drawing, "seed", design.seed, "cells near change", nearCells],
    [
      "looked at by",
      interpreters.map(({ interpreter, places }) => `${interpreter}: ${places} places`).join(", "),
    ],
    ...result.agreement.map(({ interpreters: both, places, alike, kappa }) => [
      "agree",
      both.join(" and "),
      alike,
      "of",
      places,
      "kappa",
      kappa ?? "",
    ]),
    ["not looked at", result.open],
    ["cannot be told", result.unsure],
    ["disputed", result.disputed],
    ...leftOut.map((stratum) => [
      "left out, no place looked at",
      isNearChange(stratum) ? "No change near change" : nameOf(stratum.label),
      rounded(stratum.areaM2 / 1e6, 6),
      "km2",
    ]),
  ];
}

/** What places or areas of known class say of the map; nothing where nobody looked. */
function testLines(map: ChangeMap, info: ImageInfo, test: TestOfMap): Row[] {
  const { sample, result } = test;
  const outcome = wholeOutcome(sample, result);
  const { accuracy } = outcome;
  if (!accuracy) {
    return [];
  }
  const nameOf = classNames(info);
  const isOfPlaces = sample.design.drawing !== "areas";
  const units = isOfPlaces ? "places" : "cells of areas of known class";
  return [
    ["accuracy by", sample.name, "rows map, columns reference", units],
    ...matrixLines(accuracy, nameOf),
    ...figureLines(accuracy, nameOf, isOfPlaces),
    ...(isOfPlaces ? zoneLines(map, info, result) : []),
    ...(isOfPlaces ? howLines(test, outcome, nameOf) : []),
  ];
}

/** What a map was tested on and how right it is, a block of lines each. */
export const accuracyBlocks = (
  map: ChangeMap,
  info: ImageInfo,
  tests: readonly TestOfMap[],
): Row[][] => tests.map((test) => testLines(map, info, test));

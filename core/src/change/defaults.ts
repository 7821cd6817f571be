import type { BandInfo } from "../graph/image";
import { WATER_COLORS } from "./colors";
import { comparingOf } from "./comparing";
import { measuresOf } from "./measures/all";
import { gainLossRules, severityRules } from "./presets";
import type { Layer } from "./rules";
import type { ChangeSetup } from "./setup";

const FALLBACK: Record<"before" | "after" | "measure", number> = {
  before: -17,
  after: -17,
  measure: -3,
};
/**
 * Settings to begin with, before anything is known of the pair. Classes come with its first map.
 */
export function emptySetup(facts: {
  looks: number | null;
  hasStudyArea: boolean;
  hasElevation: boolean;
}): ChangeSetup {
  return {
    band: 0,
    speckle: {
      filter: "refinedLee",
      windowCells: 7,
      looks: Math.round(Math.max(1, Math.min(1000, facts.looks ?? 4.4)) * 10) / 10,
    },
    measure: "logRatio",
    rules: rulesFor(FALLBACK),
    limits: {
      studyArea: facts.hasStudyArea,
      seenMarginCells: 3,
      maxSlopeDeg: facts.hasElevation ? 5 : null,
      minPatchCells: 12,
      neighbours: 8,
    },
  };
}

/**
 * Settings to begin with for a pair of bands that are compared as they are: the index of the
 * study's hazard where there is one.
 */
export function emptyValueSetup(
  bands: readonly BandInfo[],
  facts: { hazard: string; hasStudyArea: boolean },
): ChangeSetup {
  let wanted: RegExp;
  if (facts.hazard === "fire") {
    wanted = /^nbr$/i;
  } else if (facts.hazard === "flood") {
    wanted = /^mndwi$|^ndwi$/i;
  } else {
    wanted = /^ndvi$|^evi$|^savi$/i;
  }
  const values = bands.map((b, k) => [b, k] as const).filter(([b]) => comparingOf(b) === "value");
  const band =
    values.find(([b]) => wanted.test(b.name))?.[1] ??
    values.find(([b]) => b.role === "value")?.[1] ??
    values[0]?.[1] ??
    0;
  const b = bands[band];
  const measure = b ? measuresOf(b)[0]! : "difference";
  return {
    ...emptySetup({ looks: null, hasStudyArea: facts.hasStudyArea, hasElevation: false }),
    band,
    measure,
    speckle: { filter: "none", windowCells: 7, looks: 1 },
    rules:
      measure === "indexLoss" ? severityRules() : gainLossRules(null, false, b?.role === "value"),
  };
}

function rulesFor(t: Record<"before" | "after" | "measure", number>): ChangeSetup["rules"] {
  const c = (layer: Layer, op: "<" | ">", value: number) => ({ layer, op, value });
  return [
    {
      label: 1,
      name: "New water",
      color: WATER_COLORS.newWater,
      all: [c("measure", "<", t.measure), c("after", "<", t.after)],
    },
    {
      label: 2,
      name: "Standing water",
      color: WATER_COLORS.standing,
      all: [c("before", "<", t.before), c("after", "<", t.after)],
    },
    {
      label: 3,
      name: "Receded water",
      color: WATER_COLORS.receded,
      all: [c("measure", ">", Math.abs(t.measure)), c("before", "<", t.before)],
    },
  ];
}

import { type Chain, STEPS_OF, familyOfChain, settingText } from "../chain/family";
import type { LimitEffect } from "../tally/effects";
import { areaSaid, number } from "../text/number";
import { LAYER_WORDS, type LayerScale } from "./layerWords";
import { limitsSet } from "./limits/all";
import { measureOf } from "./measures/all";
import { classesFrom } from "./classSource";
import type { Condition, SecondLayer } from "./rules";
import type { ChangeSetup, Grouping } from "./setup";

/** What of a map tells of its limits. */
interface Limited {
  setup: ChangeSetup;
  provenance: { studyAreaSha256: string | null };
  tally: { limits?: LimitEffect[] };
}

const SIGN: Record<string, string> = {
  "<=": "≤",
  ">=": "≥",
  "=": "is class",
  "!=": "is not class",
};
/** Units of layers that are neither bands nor the measure, with the blank before them. */
const UNIT: Partial<Record<LayerScale, string>> = {
  labels: "",
  degrees: "°",
  metres: " m",
  reflectance: "",
};

/** The steps of a chain that are on, each with its setting. */
export function chainText(chain: Chain): string {
  const family = familyOfChain(chain);
  return STEPS_OF[family]
    .filter((step) => chain[step.key]?.on)
    .map((step) => `${step.name.toLowerCase()} ${settingText(family, chain, step.key)}`)
    .join(" · ");
}

function decimalsOf(scale: LayerScale, unit: string): number {
  if (scale === "labels") {
    return 0;
  }
  if (scale === "reflectance") {
    return 3;
  }
  return unit ? 1 : 2;
}

/**
 * A rule in words. @param measure unit of the measure, where it is not that of the bands
 * @param second that of what a second sensor shows
 */
export function sentence(all: Condition[], unit = "dB", measure = unit, second = ""): string {
  const units: Partial<Record<LayerScale, string>> = { measure, second };
  const spaced = (text: string) => (text === "" || text === "°" ? text : ` ${text}`);
  const parts = all.map(({ layer, op, value }) => {
    const { word, scale } = LAYER_WORDS[layer];
    const behind = UNIT[scale] ?? spaced(units[scale] ?? unit);
    const written = number(value, decimalsOf(scale, behind));
    return `${word} ${SIGN[op] ?? op} ${written}${behind}`;
  });
  return parts.join(" and ");
}

const METHOD: Record<Grouping["method"], string> = { kMeans: "k-means", isodata: "ISODATA" };
const GROUPED: Record<Grouping["of"], string> = {
  differences: "the differences of all bands",
  both: "all bands of both dates",
  measure: "the measure",
  before: "all bands of before",
  after: "all bands of after",
};

/** How cells were grouped. */
export const groupsSaid = (grouping: Grouping): string =>
  `${METHOD[grouping.method]}, ${grouping.groups} groups of ${GROUPED[grouping.of]}`;

function filterSaid({ filter, windowCells, looks }: ChangeSetup["speckle"]): string {
  if (filter === "none") {
    return "no speckle filter";
  }
  const name = filter === "lee" ? `Lee ${windowCells} × ${windowCells}` : "refined Lee 7 × 7";
  return `${name}, ${number(looks, 1)} looks`;
}

/** The measure, and the speckle filter that radar power went through before it, if any. */
export function measureSaid(setup: ChangeSetup, unit: string): string {
  const isRadar = unit === "dB";
  const part = measureOf(setup.measure);
  const measure = part.said(setup, isRadar);
  if (!isRadar) {
    return measure;
  }
  const { speckle } = setup;
  return part.beforeFilter
    ? `${measure}; before any speckle filter, ${number(speckle.looks, 1)} looks`
    : `${measure}; ${filterSaid(speckle)}`;
}

/** What a limit took away and added, in brackets; nothing where it did neither. */
function effectSaid(effect: LimitEffect | undefined): string {
  if (!effect || effect.droppedCells + effect.addedCells === 0) {
    return "";
  }
  const parts = [
    effect.droppedCells ? `−${areaSaid(effect.droppedM2)}` : "",
    effect.addedCells ? `+${areaSaid(effect.addedM2)}` : "",
  ];
  return ` (${parts.filter(Boolean).join(", ")})`;
}

/** What of a map tells of its second sensor. */
interface Confirmed {
  setup: ChangeSetup;
  provenance: {
    unit?: string;
    second?: {
      look: string;
      unit: string;
      before: { name: string } | null;
      after: { name: string };
    };
  };
}

const SECOND_WORDS: Record<SecondLayer, (dates: { before: string; after: string }) => string> = {
  secondBefore: ({ before }) => before,
  secondAfter: ({ after }) => after,
  secondChange: ({ before, after }) => `change from ${before} to ${after}`,
};

/** What confirms which classes of a map; null where no second sensor was asked about any. */
export function confirmsSaid({ setup, provenance }: Confirmed): string | null {
  const confirms = setup.second?.confirms;
  const { second } = provenance;
  if (!confirms || !second) {
    return null;
  }
  const dates = { before: second.before?.name ?? "before", after: second.after.name };
  const unit = second.unit ? ` ${second.unit}` : "";
  const names = confirms.labels.map(
    (label) => classesFrom(setup).find((one) => one.label === label)?.name ?? `class ${label}`,
  );
  const { op, value, layer } = confirms;
  return `${second.look} ${op} ${number(value, 2)}${unit} of ${SECOND_WORDS[layer](dates)} confirms ${names.join(", ")}`;
}

/** Every limit that was set, with what it did. */
export function limitsSaid({ setup, provenance, tally }: Limited): string[] {
  return limitsSet(setup.limits)
    .filter(({ part }) => part.key !== "studyArea" || provenance.studyAreaSha256)
    .map(({ part, own }) => {
      const effect = tally.limits?.find((limit) => limit.name === part.key);
      return `${part.said(own)}${effectSaid(effect)}`;
    });
}

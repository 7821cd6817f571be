import type { ChangeSetup } from "@hindglance/core/change/setup";
import { type ClassRule, type Condition, LAYERS, type Layer } from "@hindglance/core/change/rules";
import { SECOND_LAYERS } from "@hindglance/core/change/second";
import { CLASS_COLOURS } from "../ColourChoice";

/** Classes that a map can have at most, and conditions that a class can. */
export const MOST_CLASSES = 12;
export const MOST_CONDITIONS = 12;

type Change = (setup: ChangeSetup) => ChangeSetup;

/** The next free label and what a class is called and drawn in before anybody chose. */
export function newClass(taken: readonly { label: number }[]) {
  const label = Math.max(0, ...taken.map((one) => one.label)) + 1;
  return {
    label,
    name: `Class ${label}`,
    color: CLASS_COLOURS[(label - 1) % CLASS_COLOURS.length]!,
  };
}

/** One more class, of what changed by less than `measure`. */
export const withClass =
  (measure: number): Change =>
  (setup) => ({
    ...setup,
    rules: [
      ...setup.rules,
      { ...newClass(setup.rules), all: [{ layer: "measure", op: "<", value: measure }] },
    ],
  });

/** Another rule in place of one. */
export const withRule =
  (label: number, apply: (rule: ClassRule) => ClassRule): Change =>
  (setup) => ({
    ...setup,
    rules: setup.rules.map((rule) => (rule.label === label ? apply(rule) : rule)),
  });

/** Without a class. */
export const withoutClass =
  (label: number): Change =>
  (setup) => ({ ...setup, rules: setup.rules.filter((rule) => rule.label !== label) });

/** A rule with one of its conditions changed. */
export const withCondition =
  (index: number, part: Partial<Condition>) =>
  (rule: ClassRule): ClassRule => ({
    ...rule,
    all: rule.all.map((condition, k) => (k === index ? { ...condition, ...part } : condition)),
  });

const FROM_ELEVATION: readonly Layer[] = ["slope", "elevation", "drainage"];
const FROM_SECOND: readonly Layer[] = SECOND_LAYERS;
const FROM_CROSS: readonly Layer[] = ["crossBefore", "crossAfter", "apart"];

/** What a study has that rules can look at. */
export interface RuleGround {
  hasElevation: boolean;
  hasCover: boolean;
  /** Another polarisation on both dates. */
  hasCross: boolean;
  /** A second sensor is set. */
  hasSecond: boolean;
}

/** Layers that a rule can look at, by what the study has. */
export const layersOf = ({ hasElevation, hasCover, hasCross, hasSecond }: RuleGround): Layer[] =>
  LAYERS.filter((layer) => {
    if (layer === "cover") {
      return hasCover;
    }
    if (FROM_SECOND.includes(layer)) {
      return hasSecond;
    }
    if (FROM_CROSS.includes(layer)) {
      return hasCross;
    }
    return hasElevation || !FROM_ELEVATION.includes(layer);
  });

/** A rule that takes cells, or is kept without taking any. */
export const turned =
  (isOn: boolean) =>
  ({ off: _off, ...rule }: ClassRule): ClassRule =>
    isOn ? rule : { ...rule, off: true };

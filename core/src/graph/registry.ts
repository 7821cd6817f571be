import { OPTICAL_STEPS } from "../chain/optical/steps";
import { RADAR_STEPS } from "../chain/radar/steps";
import { LIMIT_PARTS } from "../change/limits/list";
import { MEASURE_PARTS } from "../change/measures/list";
import { InputError } from "../errors";
import type { Step } from "./step";
import { maskStep, selectStep, stackStep } from "./steps/bands";
import { applyStep } from "./steps/apply";
import { classesStep } from "./steps/classes";
import { edgesStep } from "./steps/edges";
import { ellipsoidalStep } from "./steps/ellipsoidal";
import { coverPathStep } from "./steps/coverPath";
import { fillMissingStep } from "./steps/fillMissing";
import { fromToStep } from "./steps/fromTo";
import { groupsStep, numbersStep, pickGroupsStep } from "./steps/groups";
import { levelStep } from "./steps/level";
import { layerLimitStep, stagesStep } from "./steps/limits";
import { differencesStep, joinBandsStep } from "./steps/multi";
import { omnibusStep } from "./steps/omnibus";
import { nearbyStep } from "./steps/nearby";
import { overTimeStep } from "./steps/overTime";
import { powerStep } from "./steps/power";
import { confirmedStep, secondLookStep } from "./steps/second";
import { textureStep } from "./steps/texture";
import { weightedModeStep } from "./steps/weightedMode";

/**
 * Every step of the graph: those that the chains' steps, the measures and the limits bring along, and these. Editors, checks,
 * help texts and run logs are driven by this list.
 */
export const STEPS: readonly Step[] = [
  ...RADAR_STEPS.flatMap((step): readonly Step[] => step.graph),
  ...OPTICAL_STEPS.flatMap((step): readonly Step[] => step.graph),
  ...MEASURE_PARTS.flatMap((part): readonly Step[] => part.graph),
  ...LIMIT_PARTS.flatMap((part): readonly Step[] => part.graph),
  selectStep,
  stackStep,
  maskStep,
  classesStep,
  layerLimitStep,
  stagesStep,
  differencesStep,
  joinBandsStep,
  applyStep,
  groupsStep,
  pickGroupsStep,
  numbersStep,
  ellipsoidalStep,
  levelStep,
  edgesStep,
  fromToStep,
  coverPathStep,
  textureStep,
  weightedModeStep,
  fillMissingStep,
  powerStep,
  overTimeStep,
  omnibusStep,
  nearbyStep,
  secondLookStep,
  confirmedStep,
];

const byKind = new Map(STEPS.map((step) => [step.kind, step]));

/** @throws InputError for a kind that is not registered */
export function stepOf(kind: string): Step {
  const step = byKind.get(kind);
  if (!step) {
    throw new InputError(`There is no step called "${kind}"`, "step");
  }
  return step;
}

/**
 * Version of a step by its kind; it is part of every hash.
 * @throws InputError for a kind that is not registered
 */
export const versionOf = (kind: string): number => (kind === "source" ? 1 : stepOf(kind).version);

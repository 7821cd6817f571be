import { InputError } from "../errors";
import type { Step } from "./step";
import { warpStep } from "./steps/warp";
import { maskStep, selectStep, stackStep } from "./steps/bands";
import { decibelStep, leeStep, refinedLeeStep } from "./steps/radar";
import {
  acrossDatesStep,
  calibrateStep,
  flattenStep,
  gammaMapStep,
  looksStep,
  meanStep,
  medianStep,
  orbitStep,
  overTimeStep,
  powerStep,
  terrainStep,
} from "./steps/chain";
import {
  decibelQuotientStep,
  differenceStep,
  indexLossStep,
  relativeChangeStep,
  logRatioStep,
  relativeLossStep,
  classesStep,
} from "./steps/change";
import {
  alwaysStep,
  changeDirectionStep,
  changeVectorStep,
  differencesStep,
  eitherStep,
  joinBandsStep,
  noChangeStep,
  twoDateFormulaStep,
} from "./steps/multi";
import { groupsStep, numbersStep, pickGroupsStep } from "./steps/groups";
import { cloudMaskStep, seenMaskStep, studyAreaMaskStep } from "./steps/masks";
import {
  holesStep,
  majorityStep,
  layerLimitStep,
  minimumPatchStep,
  stagesStep,
} from "./steps/limits";
import { aboveDrainageStep, slopeStep } from "./steps/terrain";
import { formulaStep, indicesStep, reflectanceStep } from "./steps/optical";
import { gapsStep } from "./steps/gaps";
import { edgesStep } from "./steps/edges";
import { levelStep } from "./steps/level";
import { hazeLevelsStep, hazeMapStep, hazeStep } from "./steps/haze";
import { evenLightStep, mosaicStep } from "./steps/mosaic";
import { opticalMaskStep, surfaceStep } from "./steps/surface";
import { ellipsoidalStep } from "./steps/ellipsoidal";

/** Every step there is. Editors, checks, help texts and run logs are driven by this list. */
export const STEPS: readonly Step[] = [
  warpStep,
  selectStep,
  stackStep,
  maskStep,
  decibelStep,
  leeStep,
  refinedLeeStep,
  differenceStep,
  indexLossStep,
  relativeLossStep,
  relativeChangeStep,
  decibelQuotientStep,
  logRatioStep,
  classesStep,
  seenMaskStep,
  studyAreaMaskStep,
  cloudMaskStep,
  layerLimitStep,
  stagesStep,
  minimumPatchStep,
  holesStep,
  majorityStep,
  slopeStep,
  aboveDrainageStep,
  changeVectorStep,
  changeDirectionStep,
  noChangeStep,
  twoDateFormulaStep,
  differencesStep,
  joinBandsStep,
  alwaysStep,
  eitherStep,
  groupsStep,
  pickGroupsStep,
  numbersStep,
  ellipsoidalStep,
  levelStep,
  edgesStep,
  orbitStep,
  calibrateStep,
  looksStep,
  meanStep,
  medianStep,
  gammaMapStep,
  flattenStep,
  terrainStep,
  acrossDatesStep,
  powerStep,
  overTimeStep,
  reflectanceStep,
  formulaStep,
  indicesStep,
  opticalMaskStep,
  gapsStep,
  hazeMapStep,
  hazeStep,
  hazeLevelsStep,
  surfaceStep,
  evenLightStep,
  mosaicStep,
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

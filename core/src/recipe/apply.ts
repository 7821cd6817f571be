import { type Chain, type Family, gridOf, gridStep, withStep } from "../chain/family";
import { proposeGrid } from "../chain/proposeGrid";
import { comparingOf } from "../change/comparing";
import { emptySetup, emptyValueSetup } from "../change/defaults";
import type { ChangeSetup } from "../change/setup";
import { InputError } from "../errors";
import type { BandInfo } from "../graph/image";
import { ontoGlobe } from "../grid/globe";
import { cellSize, outline } from "../grid/grid";
import {
  PROPOSED_DAYS,
  type SecondCandidate,
  type SecondPair,
  nearScenes,
} from "../change/secondPick";
import type { Recipe, RecipeClasses, RecipeCompare, RecipeSecond } from "./recipe";

/** Whether a setting of a step is of one place: a scene of one study, or its grid. */
const isOfPlace = (name: string): boolean => /Ids?$/.test(name) || name === "grid";

/** Settings of a chain that hold anywhere, step by step. */
export const anywhere = (chain: Chain): Record<string, Record<string, unknown>> =>
  Object.fromEntries(
    Object.entries(chain).map(([step, own]) => [
      step,
      Object.fromEntries(Object.entries(own).filter(([name]) => !isOfPlace(name))),
    ]),
  );

/** A chain whose study grid has cells of a size. */
function withCellSize(family: Family, chain: Chain, size: number): Chain {
  const grid = gridOf(family, chain);
  if (cellSize(grid)[0] === size) {
    return chain;
  }
  const globe = ontoGlobe(grid);
  const points = outline(grid).map(([x, y]) => globe(x, y));
  const next = proposeGrid(points, size, grid.crs);
  return withStep(chain, gridStep(family), { grid: next });
}

/**
 * The chain of a study by a recipe: what the study proposes, with the recipe's settings over it. What
 * is of the place stays the study's.
 * @throws InputError for a step that the family does not have
 */
export function chainBy(recipe: Recipe, family: Family, proposed: Chain): Chain {
  const wanted = recipe.chain ?? {};
  const unknown = Object.keys(wanted).find((step) => !(step in proposed));
  if (unknown) {
    throw new InputError(`There is no step called "${unknown}"`, `chain.${unknown}`);
  }
  const chain = Object.entries(wanted).reduce((own, [step, settings]) => {
    const kept = Object.entries(settings).filter(([name]) => !isOfPlace(name));
    return withStep(own, step, Object.fromEntries(kept));
  }, proposed);
  return recipe.cellSize === null ? chain : withCellSize(family, chain, recipe.cellSize);
}

/** What is known of the pair that a recipe is applied to. */
export interface PairFacts {
  /** Bands of the date before. */
  bands: readonly BandInfo[];
  looks: number | null;
  hasStudyArea: boolean;
  hasElevation: boolean;
  /** Dates of the study that a second sensor may be asked with, and the pair by its times. */
  beside?: { pair: SecondPair; candidates: readonly SecondCandidate[] };
}

/** Place of a band by its name. @throws InputError naming those that are there */
function bandAt(bands: readonly BandInfo[], name: string): number {
  const at = bands.findIndex((band) => band.name === name);
  if (at < 0) {
    const there = bands.map((band) => band.name).join(", ");
    throw new InputError(
      `There is no band "${name}": the date before has ${there}`,
      "compare.band",
    );
  }
  return at;
}

/** Limits that hold anywhere: other dates are of one study. */
const limitsAnywhere = ({ standing: _dates, ...limits }: RecipeCompare["limits"]) => limits;

/** The second sensor of a recipe with the scenes that lie near; null where none does. */
function secondBy(asked: RecipeSecond | null | undefined, { beside }: PairFacts) {
  if (!asked || !beside) {
    return null;
  }
  const { look, confirms, withinDays } = asked;
  const scenes = nearScenes(beside.candidates, beside.pair, look, withinDays);
  const lacksBefore = confirms !== null && confirms.layer !== "secondAfter" && !scenes?.beforeId;
  return scenes && !lacksBefore ? { ...scenes, look, confirms } : null;
}

/** How a pair is compared by a recipe. @throws InputError where it lacks a band of the recipe */
export function setupBy(recipe: Recipe, facts: PairFacts): ChangeSetup {
  const { compare, hazard } = recipe;
  if (!compare) {
    const [first] = facts.bands;
    return first && comparingOf(first) === "power"
      ? emptySetup(facts)
      : emptyValueSetup(facts.bands, { hazard, hasStudyArea: facts.hasStudyArea });
  }
  const { band, bands, groups, limits, second: asked, ...rest } = compare;
  const second = secondBy(asked, facts);
  return {
    ...rest,
    band: bandAt(facts.bands, band),
    bands: bands?.map((name) => bandAt(facts.bands, name)) ?? null,
    limits: {
      ...limitsAnywhere(limits),
      studyArea: limits.studyArea && facts.hasStudyArea,
      maxSlopeDeg: facts.hasElevation ? limits.maxSlopeDeg : null,
      ...(second ? {} : { against: null }),
    },
    ...(second ? { second } : {}),
    ...(groups ? { groups } : {}),
  };
}

/** What a study has of a comparison that a recipe can take along. */
export interface StudyFacts {
  bands: readonly BandInfo[];
  setup: ChangeSetup;
}

/**
 * How a study compares, as a recipe. @throws InputError where its settings are of this study alone
 */
export function compareOf({ bands, setup }: StudyFacts): RecipeCompare {
  if (setup.coverId) {
    throw new InputError(
      "A rule looks at a classified raster of this study, which no other one has",
      "setup",
      "Compare without land cover, or run the comparison by itself.",
    );
  }
  const nameOf = (at: number) => bands[at]!.name;
  return {
    band: nameOf(setup.band),
    bands: setup.bands?.map(nameOf) ?? null,
    ...{ speckle: setup.speckle, measure: setup.measure, formula: setup.formula ?? null },
    reweighted: setup.reweighted ?? null,
    falseAlarmKm2: setup.falseAlarmKm2 ?? null,
    ...{ seasonDays: setup.seasonDays ?? null, awayBeyond: setup.awayBeyond ?? null },
    awaySide: setup.awaySide ?? null,
    rules: setup.rules,
    limits: limitsAnywhere(setup.limits),
    groups: setup.groups ?? null,
    second: setup.second
      ? {
          ...{ look: setup.second.look, confirms: setup.second.confirms },
          withinDays: PROPOSED_DAYS,
        }
      : null,
  };
}

/** Classes of a study's comparison as a recipe has them: dates are classified as each study has it. */
export const recipeClasses = ({ transitions }: ChangeSetup): RecipeClasses | null =>
  transitions ? { show: transitions.show, by: null } : null;

import * as yup from "yup";
import { InputError, messageOf } from "../errors";
import type { Grid } from "../grid/grid";
import { OPTICAL_STEPS } from "./optical/steps";
import { RADAR_STEPS } from "./radar/steps";
import type { AnyStep, SettingsOf, Switched } from "./step";

/** Sensor families: each has a chain of its own, and one chain serves all dates of a family. */
export const FAMILIES = ["radar", "optical"] as const;
export type Family = (typeof FAMILIES)[number];

/** A chain: settings by step, each of which can be skipped. */
export type Chain = Record<string, Switched>;
/** Settings that a date has of its own, by scene and step. */
export type Exceptions = Record<string, Record<string, Record<string, unknown>>>;

/** The steps of each family's chain, in order. */
export const STEPS_OF: Record<Family, readonly AnyStep[]> = {
  radar: RADAR_STEPS,
  optical: OPTICAL_STEPS,
};

type Keyed = readonly { key: string }[];

/** The keys of a family's steps, in order. */
export const keysOf = (family: Family): string[] => STEPS_OF[family].map((step) => step.key);

/** A step of a family by its key. @throws InputError for one that is not there */
export function stepOfChain(family: Family, key: string): AnyStep {
  const step = STEPS_OF[family].find((one) => one.key === key);
  if (!step) {
    throw new InputError(`There is no step called "${key}"`, "step");
  }
  return step;
}

/** The family that a chain's settings are of: radar chains have an orbit, optical ones do not. */
export const familyOfChain = (chain: Chain): Family => ("orbit" in chain ? "radar" : "optical");

/** The setting of a step in a few characters. */
export function settingText(family: Family, chain: Chain, key: string): string {
  const own = chain[key]!;
  return own.on ? stepOfChain(family, key).sentence(own) : "skipped";
}

/** Why dates cannot be compared with each other though every step can run; null where they can. */
export const whyApart = (family: Family, chain: Chain): string | null =>
  STEPS_OF[family].find((step) => step.apart && !chain[step.key]!.on)?.apart ?? null;

/** Cells of the product, in range and azimuth, that a chain makes one of. */
export const looksIn = (family: Family, chain: Chain): readonly [range: number, azimuth: number] =>
  STEPS_OF[family].reduce<readonly [number, number]>(
    ([range, azimuth], step) => {
      const own = chain[step.key]!;
      const [across, along] = (own.on ? step.looks?.(own) : undefined) ?? [1, 1];
      return [range * across, azimuth * along];
    },
    [1, 1],
  );

/** The step of a family that holds the study grid: that grid is common to all dates. */
export const gridStep = (family: Family): string =>
  STEPS_OF[family].find((step) => step.common?.field === "grid")!.key;

/** The study grid of a chain. */
export function gridOf(family: Family, chain: Chain): Grid {
  const own = chain[gridStep(family)]!;
  if (!holdsGrid(own)) {
    throw new TypeError("The step of the study grid has none");
  }
  return own.grid;
}
const holdsGrid = (own: Switched): own is Switched & { grid: Grid } => "grid" in own;

/** The settings of a chain's step with some of them changed. */
export const withStep = (chain: Chain, key: string, change: object): Chain => ({
  ...chain,
  [key]: { ...chain[key]!, ...change },
});

/** Something for each step. What it comes to, key by key, types cannot follow. */
const byStep = <Out>(entries: readonly (readonly [key: string, value: unknown])[]): Out =>
  Object.fromEntries(entries) as Out;

/** Settings of a whole chain, as they are checked. */
export const chainSchema = (
  steps: readonly { key: string; settings: yup.ISchema<Switched> }[],
): yup.ObjectSchema<Chain> =>
  yup
    .object(
      byStep<Record<string, yup.ISchema<Switched>>>(steps.map((step) => [step.key, step.settings])),
    )
    .noUnknown();

/** Settings of the chains, as they are checked. */
export const CHAIN_SCHEMAS: Record<Family, yup.ObjectSchema<Chain>> = {
  radar: chainSchema(RADAR_STEPS),
  optical: chainSchema(OPTICAL_STEPS),
};

/** What a study begins with: each step's proposal. */
export const proposedChain = <
  Facts,
  Steps extends readonly { key: string; propose(facts: Facts): Switched }[],
>(
  steps: Steps,
  facts: Facts,
): SettingsOf<Steps> => byStep(steps.map((step) => [step.key, step.propose(facts)]));

/** The settings of one date: those of every date, and its own over them. */
export const settingsOf = <C extends Chain>(
  steps: Keyed,
  chain: C,
  exceptions: Exceptions,
  sceneId: string,
): C => byStep(steps.map(({ key }) => [key, { ...chain[key], ...exceptions[sceneId]?.[key] }]));

/**
 * Checks exceptions by laying each over the chain. @throws InputError naming scene and field
 */
export function checkedExceptions(family: Family, chain: Chain, exceptions: unknown): Exceptions {
  if (!isByScene(exceptions)) {
    throw new InputError("Exceptions must be given by scene", "exceptions");
  }
  for (const sceneId of Object.keys(exceptions)) {
    checkedException(family, chain, exceptions, sceneId);
  }
  return exceptions;
}
const isByScene = (value: unknown): value is Exceptions =>
  typeof value === "object" && value !== null && !Array.isArray(value);

function checkedException(
  family: Family,
  chain: Chain,
  exceptions: Exceptions,
  sceneId: string,
): void {
  const own = exceptions[sceneId] ?? {};
  const steps = STEPS_OF[family];
  for (const key of Object.keys(own)) {
    if (!steps.some((step) => step.key === key)) {
      throw new InputError(`There is no step called "${key}"`, `exceptions.${sceneId}`);
    }
  }
  try {
    CHAIN_SCHEMAS[family].validateSync(settingsOf(steps, chain, exceptions, sceneId), {
      strict: true,
    });
  } catch (error) {
    throw new InputError(messageOf(error), `exceptions.${sceneId}`);
  }
  for (const { key, common } of steps) {
    if (common && own[key] && common.field in own[key]) {
      throw new InputError(common.why, `exceptions.${sceneId}.${key}.${common.field}`);
    }
  }
}

import type {
  ClassifySettings,
  LegendClass,
  TrainingArea,
} from "@hindglance/core/classify/settings";
import { type ExtraInput, extraName } from "@hindglance/core/classify/extraInputs";
import {
  STACK,
  type Unsupervised,
  firstUnsupervised,
} from "@hindglance/core/classify/unsupervised";
import { OVERLAP_HINT, sharedGroundSaid } from "@hindglance/core/classify/testAreas";
import type { Step } from "@hindglance/core/classify/legend";

/** A class with something of it changed. */
export const withChanged =
  (label: number, change: Partial<Omit<LegendClass, "label">>): Step =>
  (settings) => ({
    ...settings,
    legend: settings.legend.map((one) => (one.label === label ? { ...one, ...change } : one)),
  });

const keepAreas = (
  settings: ClassifySettings,
  keep: (area: TrainingArea, id: string) => boolean,
): ClassifySettings["areas"] =>
  Object.fromEntries(Object.entries(settings.areas).filter(([id, area]) => keep(area, id)));

/** What was given of how frequent classes are, without one of them. */
function frequenciesWithout(
  { frequencies }: ClassifySettings,
  label: number,
): Pick<ClassifySettings, "frequencies"> {
  const { [String(label)]: _gone, ...others } = frequencies ?? {};
  return frequencies ? { frequencies: others } : {};
}

/** A class less, with its areas. */
export const withoutClass =
  (label: number): Step =>
  (settings) => ({
    ...settings,
    legend: settings.legend.filter((one) => one.label !== label),
    areas: keepAreas(settings, (area) => area.label !== label),
    ...frequenciesWithout(settings, label),
  });

const mapped = <T>(all: Record<string, T>, to: (one: T) => T): Record<string, T> =>
  Object.fromEntries(Object.entries(all).map(([key, one]) => [key, to(one)]));

/** A class less; what is known of its ground is said of another one. */
export const mergedInto =
  (label: number, other: number): Step =>
  (settings) => ({
    ...settings,
    legend: settings.legend.filter((one) => one.label !== label),
    ...frequenciesWithout(settings, label),
    areas: mapped(settings.areas, (area) =>
      area.label === label ? { ...area, label: other } : area,
    ),
    ...(settings.unsupervised && {
      unsupervised: {
        ...settings.unsupervised,
        given: mapped(settings.unsupervised.given, (groups) =>
          mapped(groups, (one) => (one === label ? other : one)),
        ),
      },
    }),
  });

/** Areas less. */
export const withoutAreas =
  (ids: readonly string[]): Step =>
  (settings) => ({ ...settings, areas: keepAreas(settings, (_area, id) => !ids.includes(id)) });

/** Areas that hold for a date. */
export const areasOf = (
  settings: ClassifySettings,
  sceneId: string | null,
): [id: string, area: TrainingArea][] =>
  Object.entries(settings.areas).filter(
    ([, area]) => area.sceneId === null || area.sceneId === sceneId,
  );

/** Whether an area is there to test on. */
export const isTest = ([, area]: [id: string, area: TrainingArea]): boolean => !!area.isTest;

/** Whether a date can be classified: by a kept model, or by areas to train two classes on at least. */
export function canTrain(settings: ClassifySettings, sceneId: string): boolean {
  const trained = areasOf(settings, sceneId).filter((area) => !isTest(area));
  return !!settings.model || new Set(trained.map(([, { label }]) => label)).size >= 2;
}

const isSameExtra = (one: ExtraInput, other: ExtraInput): boolean =>
  extraName(one) === extraName(other);

/** An input besides the bands of a date more; one of the same name is not there twice. */
export const withExtra =
  (extra: ExtraInput): Step =>
  (settings) => ({
    ...settings,
    extras: [...(settings.extras ?? []).filter((one) => !isSameExtra(one, extra)), extra],
  });

/** An input besides the bands of a date less. */
export const withoutExtra =
  (extra: ExtraInput): Step =>
  (settings) => ({
    ...settings,
    extras: (settings.extras ?? []).filter((one) => !isSameExtra(one, extra)),
  });

/** Groups made in another way: what was given of the old ones says nothing of them. */
export const grouping =
  (part: Partial<Omit<Unsupervised, "given">>): Step =>
  (settings) => ({
    ...settings,
    unsupervised: { ...(settings.unsupervised ?? firstUnsupervised()), ...part, given: {} },
  });

/** A group given to a class; 0: to none. @param key the date, or the stack */
export const givenTo =
  (key: string, group: number, label: number): Step =>
  (settings) => {
    const { unsupervised } = settings;
    if (!unsupervised) {
      return settings;
    }
    const { [String(group)]: _was, ...others } = unsupervised.given[key] ?? {};
    const own = label === 0 ? others : { ...others, [String(group)]: label };
    return {
      ...settings,
      unsupervised: { ...unsupervised, given: { ...unsupervised.given, [key]: own } },
    };
  };

/** What dates are classified by. */
export type Way = "training" | "groups" | "model";

/** What the dates of a study are classified by. */
export function wayOf({ model, unsupervised }: ClassifySettings): Way {
  if (model) {
    return "model";
  }
  return unsupervised ? "groups" : "training";
}

/** Whether the classes of a date can be written. */
export function canWrite(settings: ClassifySettings, sceneId: string): boolean {
  const { unsupervised } = settings;
  if (wayOf(settings) !== "groups" || !unsupervised) {
    return canTrain(settings, sceneId);
  }
  const given = unsupervised.given[unsupervised.of === STACK ? STACK : sceneId] ?? {};
  return Object.keys(given).length > 0;
}

/** Why settings cannot follow others: what is trained on would be tested on. Null where they can. */
export function overlapIn(was: ClassifySettings, now: ClassifySettings): string | null {
  const said = sharedGroundSaid(now, (id) => was.areas[id] !== now.areas[id]);
  return said && `${said}. ${OVERLAP_HINT}`;
}

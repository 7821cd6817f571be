import { useEffect, useRef, useState } from "react";
import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import type { Comparison } from "@hindglance/contract/comparison";

import { type ChangeSetup } from "@hindglance/core/change/setup";

import { sayError } from "../api/client";
import type { BandInfo } from "@hindglance/core/graph/image";
import type { CompareHistograms, SavedPreset, Scene, Side, Study } from "../api/types";
import { useUi } from "../state/ui";
import { firstMapKind } from "@hindglance/core/change/firstMap/kind";
import { withFirstMap } from "@hindglance/core/change/firstMap/firstMap";
import { type Counted, settledBy, startOf } from "./begin";
import { fetchFirstMap, hasFirstMap } from "./useFirstMap";
import { measureName } from "./measures";
import { type SceneKind, proposePair } from "./pair";
import { useCompare } from "./state";
import type { ComparisonOnScreen } from "./useComparison";
import { fetchHistograms } from "./useHistograms";
import type { Ground } from "./useVersions";
import { BY_RULES } from "@hindglance/core/change/classSource";
import { comparingOf } from "@hindglance/core/change/comparing";
import {
  type Measure,
  measureOf,
  measuresOf,
  sharesThresholds,
} from "@hindglance/core/change/measures/all";
import {
  type Preset,
  gainLossRules,
  greennessRules,
  openWaterRules,
  severityRules,
} from "@hindglance/core/change/presets";

type Rules = ChangeSetup["rules"];
type Settle = (setup: ChangeSetup, side: Side, counted: Counted) => ChangeSetup;

interface Step {
  /** What is being counted, in words. */
  name: string;
  /** What the comparison becomes, but for what is counted first. */
  to: (comparison: Comparison | null) => Comparison;
  settle: Settle;
  /** Whether this is what a study begins with, and no step to undo. */
  isBeginning?: boolean;
}

/** Puts a step with its rules on screen as one version. */
function take({ to, settle, isBeginning }: Step, side: Side, counted: Counted): void {
  const whole = (comparison: Comparison | null): Comparison => {
    const next = to(comparison);
    const { setup } = next;
    return setup ? { ...next, setup: settle(setup, side, counted) } : next;
  };
  const { begin, changeAll } = useCompare.getState();
  if (isBeginning) {
    begin(whole(null));
  } else {
    changeAll(whole);
  }
}

/** What the settings of a step come from; null where no pair is chosen. */
function countFor(
  queryClient: QueryClient,
  studyId: string,
  ground: Ground,
  side: Side | null,
  { beforeId, afterId, setup }: Comparison,
): Promise<Counted> | null {
  if (!beforeId || !afterId || !setup) {
    return null;
  }
  const of = [studyId, ground, { beforeId, afterId }, setup] as const;
  return Promise.all([
    fetchHistograms(queryClient, ...of),
    hasFirstMap(side, setup) ? fetchFirstMap(queryClient, ...of) : null,
  ]).then(([histograms, first]) => ({ histograms, first }));
}

/**
 * Steps whose thresholds come from a histogram that has to be counted first: everything on screen
 * stays as it is until then, and changes as one whole. `counting`: what is being counted, or null.
 */
function useCountedStep(studyId: string, { ground, sideOf }: ComparisonOnScreen) {
  const queryClient = useQueryClient();
  const [name, setCounting] = useState<string | null>(null);
  const latest = useRef(0);
  const step = async (next: Step): Promise<void> => {
    const seq = ++latest.current;
    const comparison = next.to(useCompare.getState().comparison);
    const side = sideOf(comparison.beforeId ?? undefined);
    const counting = countFor(queryClient, studyId, ground, side, comparison);
    if (!side || !counting) {
      return;
    }
    setCounting(next.name);
    try {
      const counted = await counting;
      if (seq === latest.current && useCompare.getState().studyId === studyId) {
        take(next, side, counted);
      }
    } catch (error) {
      useUi.getState().say(sayError(error), "wrong");
    } finally {
      if (seq === latest.current) {
        setCounting(null);
      }
    }
  };
  /** What is still being counted comes too late for what is on screen now. */
  const drop = (): void => {
    latest.current++;
    setCounting(null);
  };
  /** A step that needs no count: it takes the place of one that is still being counted. */
  const stepNow = (apply: (setup: ChangeSetup) => ChangeSetup): void => {
    drop();
    useCompare.getState().change(apply);
  };
  return { counting: name, step, stepNow, drop };
}

const withSetup =
  (apply: (setup: ChangeSetup) => ChangeSetup) =>
  (comparison: Comparison | null): Comparison => ({
    beforeId: null,
    afterId: null,
    ...comparison,
    setup: comparison?.setup ? apply(comparison.setup) : null,
  });

/** A study that is compared for the first time begins with thresholds from its own histograms. */
function useBeginning(
  study: Study,
  scenes: Scene[],
  shown: ComparisonOnScreen,
  step: (next: Step) => Promise<void>,
): void {
  const { able, sideOf, elevation, isFresh, whole, pair, sides } = shown;
  const begun = useRef("");
  const isLost = whole !== null && pair === null;
  const proposed = isFresh || isLost ? proposePair(study, able) : null;
  useEffect(() => {
    const side = proposed ? sideOf(proposed.beforeId) : null;
    const key = proposed ? `${study.id} ${proposed.beforeId} ${proposed.afterId}` : "";
    if (!sides || !proposed || !side?.info || begun.current === key) {
      return;
    }
    begun.current = key;
    const setup = startOf(side, study, !!elevation);
    void step({
      name: measureName(setup.measure, side.info.bands[setup.band]?.name ?? "", false),
      to: (comparison) => ({ ...comparison, ...proposed, setup: comparison?.setup ?? setup }),
      settle: (own, of, counted) => (isLost ? own : settledBy(own, of, counted)),
      isBeginning: !isLost,
    });
  }, [study, scenes, sides, proposed, sideOf, elevation, isLost, step]);
}

/** Rules of a ready set of classes. */
function presetRules(
  preset: Preset,
  setup: ChangeSetup,
  histograms: CompareHistograms | null,
  band: BandInfo | undefined,
): Rules {
  const lossUp = measureOf(setup.measure).lossUp ?? false;
  switch (preset.id) {
    case "water":
      return setup.rules;
    case "severity":
      return severityRules();
    case "openWater":
      return openWaterRules();
    case "greenness":
      return greennessRules(lossUp);
    default:
      return gainLossRules(histograms?.measure ?? null, lossUp, band?.role === "value");
  }
}

/** A comparison as its actions find it. */
interface Found {
  study: Study;
  shown: ComparisonOnScreen;
  setup: ChangeSetup;
  step(next: Step): Promise<void>;
  stepNow(apply: (setup: ChangeSetup) => ChangeSetup): void;
}

const isValueOf = (band: BandInfo | undefined): boolean => !!band && comparingOf(band) === "value";

/** Settings by the rules that a measure begins with, or by the pair. */
const settledFor =
  (measure: Measure): Settle =>
  (own, side, counted) => {
    const rules = measureOf(measure).rules?.(counted.histograms.measure);
    return rules ? { ...own, rules } : settledBy(own, side, counted);
  };

/** Settings without the limits on classes that other ones take the place of. */
const withoutClasses = (setup: ChangeSetup): ChangeSetup => ({
  ...setup,
  limits: { ...setup.limits, standing: null, beside: null },
});

/** Measures by another measure. Thresholds stay where both read them alike. */
function takeMeasure({ shown: { bands }, setup, step, stepNow }: Found, measure: Measure): void {
  const band = bands[setup.band];
  const part = measureOf(measure);
  const isAlike = sharesThresholds(part, measureOf(setup.measure));
  const apply = (found: ChangeSetup) => {
    const old = isAlike ? found : withoutClasses(found);
    return { ...old, measure, ...part.begin?.(old, bands) };
  };
  const fixed = part.rules?.(null);
  if (isAlike) {
    stepNow(apply);
  } else if (fixed && !part.byHistogram) {
    stepNow((old) => ({ ...apply(old), rules: fixed }));
  } else {
    void step({
      name: measureName(measure, band?.name ?? "", isValueOf(band)),
      to: withSetup((old) => ({ ...apply(old), rules: fixed ?? old.rules })),
      settle: settledFor(measure),
    });
  }
}

/** Compares another band. Measure and thresholds stay where it is compared as the old one was. */
function takeBand({ shown: { bands }, setup, step, stepNow }: Found, index: number): void {
  const next = bands[index];
  if (!next) {
    return;
  }
  const band = bands[setup.band];
  const fits = measuresOf(next);
  const isAlike = fits.includes(setup.measure) && !!band && comparingOf(next) === comparingOf(band);
  const measure = isAlike ? setup.measure : fits[0]!;
  const apply = (old: ChangeSetup) => ({ ...old, band: index, measure, bands: null });
  if (isAlike) {
    stepNow(apply);
    return;
  }
  void step({
    name: measureName(measure, next.name, isValueOf(next)),
    to: withSetup((old) => apply(withoutClasses(old))),
    settle: settledFor(measure),
  });
}

/** Goes back to what a comparison of this pair begins with, counted on the measure of that. */
function goBack({ study, shown, setup, step }: Found): void {
  const { bands, side, elevation } = shown;
  if (!side?.info) {
    return;
  }
  const isValue = isValueOf(bands[setup.band]);
  const start = startOf(side, study, !!elevation);
  const own = isValue ? start : { ...start, band: setup.band };
  void step({
    name: measureName(own.measure, bands[own.band]?.name ?? "", isValue),
    to: withSetup(() => own),
    settle: settledBy,
  });
}

/** The ready set of classes that the first map of what is compared stands for. */
function kindOfPreset(side: Side | null, setup: ChangeSetup): Preset["id"] | null {
  const band = side?.info?.bands[setup.band];
  const kind = band ? firstMapKind(band, setup.measure) : null;
  return kind === "burn" ? "severity" : kind;
}

/** Settings with those of a saved preset, as far as the study can have them. */
const withSaved =
  ({ measure, formula, own, rules, limits }: SavedPreset, study: Study, hasElevation: boolean) =>
  (setup: ChangeSetup): ChangeSetup => ({
    ...setup,
    ...{ measure, formula, ...own, rules },
    ...BY_RULES,
    limits: {
      ...limits,
      studyArea: limits.studyArea && !!study.studyArea,
      ...(hasElevation ? {} : { maxSlopeDeg: null, drainage: null, elevationM: null }),
    },
  });

/** What can be done with a comparison. Each is one step to undo. */
export function useActions(study: Study, scenes: Scene[], shown: ComparisonOnScreen) {
  const { setup, bands, elevation, kind } = shown;
  const { counting, step, stepNow, drop } = useCountedStep(study.id, shown);
  useBeginning(study, scenes, shown, step);
  const { changeAll } = useCompare.getState();
  const found = setup && { study, shown, setup, step, stepNow };
  const takeFirstMap = () => {
    if (setup) {
      void step({
        name: "the first map",
        to: withSetup((old) => ({
          ...old,
          measure: hasFirstMap(shown.side, old) ? old.measure : "logRatio",
          ...BY_RULES,
        })),
        settle: (own, _side, { first }) => (first ? withFirstMap(own, first) : own),
      });
    }
  };
  return {
    counting,
    pickMeasure: (measure: Measure) => found && takeMeasure(found, measure),
    pickBand: (index: number) => found && takeBand(found, index),
    reset: () => found && goBack(found),
    takePreset: (preset: Preset) => {
      if (preset.id === "water" || (setup && preset.id === kindOfPreset(shown.side, setup))) {
        takeFirstMap();
        return;
      }
      stepNow((old) => ({
        ...old,
        ...BY_RULES,
        rules: presetRules(preset, old, shown.histograms.data ?? null, bands[old.band]),
      }));
    },
    takeFirstMap,
    takeSaved: (preset: SavedPreset) => stepNow(withSaved(preset, study, !!elevation)),
    setPair: (beforeId: string, afterId: string) => {
      // Thresholds that are still being counted are those of the other pair.
      if (useCompare.getState().comparison?.setup) {
        drop();
      }
      changeAll((comparison) => ({ ...comparison, beforeId, afterId }));
    },
    /** Goes over to the other kind of scene, with the settings that it was left with. */
    setKind: (to: SceneKind) => kindStep(study, scenes, shown, kind, to, step),
  };
}

/** What the Compare stage can do, as its panels get it. */
export type Actions = ReturnType<typeof useActions>;

/** Changes to another kind of scene: to what it was left with, or to a fresh beginning. */
function kindStep(
  study: Study,
  scenes: Scene[],
  { able, sideOf, elevation }: ComparisonOnScreen,
  from: SceneKind | null,
  to: SceneKind,
  step: (next: Step) => Promise<void>,
): void {
  const { comparison, changeAll } = useCompare.getState();
  const isThere = (id: string | null) => scenes.some((scene) => scene.id === id);
  const left = comparison?.others?.[to];
  const withOthers = (next: Comparison, old: Comparison | null): Comparison => ({
    ...next,
    others: {
      ...old?.others,
      ...(from && old
        ? { [from]: { beforeId: old.beforeId, afterId: old.afterId, setup: old.setup } }
        : {}),
    },
  });
  if (left?.setup && isThere(left.beforeId) && isThere(left.afterId)) {
    changeAll((old) => withOthers(left, old));
    return;
  }
  const proposed = proposePair(study, able, to);
  const side = proposed ? sideOf(proposed.beforeId) : null;
  if (!proposed || !side?.info) {
    return;
  }
  const setup = startOf(side, study, !!elevation);
  void step({
    name: measureName(setup.measure, side.info.bands[setup.band]?.name ?? "", to !== "radar"),
    to: (old) => withOthers({ ...proposed, setup }, old),
    settle: settledBy,
  });
}

import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { Transitions, TransitionsShown } from "@hindglance/core/change/transitions";

type Change = (setup: ChangeSetup) => ChangeSetup;

const withTransitions =
  (apply: (transitions: Transitions) => Transitions): Change =>
  (setup) => ({ ...setup, transitions: setup.transitions && apply(setup.transitions) });

/** The map by other classes. */
export const shownAs = (show: TransitionsShown): Change =>
  withTransitions((transitions) => ({ ...transitions, show }));

/** A transition that counts as change, or does not. */
export const counting = (label: number, counts: boolean): Change =>
  withTransitions((transitions) => {
    const others = transitions.kept.filter((one) => one !== label);
    return {
      ...transitions,
      kept: counts ? [...others, label].sort((a, b) => a - b) : others,
    };
  });

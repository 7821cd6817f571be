import { create } from "zustand";
import { ChangedElsewhere, changesBetween, withChanges } from "@hindglance/contract/changes";
import type { Comparison } from "@hindglance/contract/comparison";
import type { ChangeSetup } from "@hindglance/core/change/setup";

/** What the server holds of a comparison. */
export interface Saved {
  version: number;
  comparison: Comparison | null;
}

interface CompareState {
  studyId: string | null;
  /** What the server holds, as far as this page knows: changes are told from here. */
  saved: Saved | null;
  /** Pair and settings on screen: one version as a whole, which undo goes back to as a whole. */
  comparison: Comparison | null;
  past: Comparison[];
  future: Comparison[];
  /** The version as it was when a drag began; while it is there nothing is sent to the server. */
  dragFrom: Comparison | null;
  /** Begins with what the server holds; nothing can be undone then. */
  open(studyId: string, saved: Saved): void;
  /** The server has taken what was sent to it. */
  savedAs(sent: Comparison, saved: Saved): void;
  /**
   * Another page changed the comparison: what was changed there is taken in, what was changed here
   * and not sent yet stays. @returns false where both changed the same; theirs is shown then, and
   * undo brings back what was here
   */
  adopt(saved: Saved): boolean;
  /** Begins with a comparison that nobody chose yet: it is no step to undo. */
  begin(comparison: Comparison): void;
  changeAll(apply: (comparison: Comparison) => Comparison): void;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
  drag(apply: (setup: ChangeSetup) => ChangeSetup): void;
  drop(): void;
  undo(): void;
  redo(): void;
}

const KEEP = 100;

/** A comparison with its settings changed; without settings it stays as it is. */
const withSetup = (
  comparison: Comparison,
  apply: (setup: ChangeSetup) => ChangeSetup,
): Comparison =>
  comparison.setup ? { ...comparison, setup: apply(comparison.setup) } : comparison;

/** A new version on screen; the one before can be gone back to. */
const stepTo = (state: CompareState, comparison: Comparison): Partial<CompareState> => ({
  comparison,
  past: state.comparison ? [...state.past, state.comparison].slice(-KEEP) : state.past,
  future: [],
  dragFrom: null,
});

/** What is on screen with what others changed, or null where both changed the same thing. */
function merged(state: CompareState, theirs: Comparison | null): Comparison | null {
  try {
    return withChanges(theirs, changesBetween(state.saved?.comparison, state.comparison));
  } catch (error) {
    if (error instanceof ChangedElsewhere) {
      return null;
    }
    throw error;
  }
}

const isSame = (a: unknown, b: unknown): boolean => changesBetween(a, b).length === 0;

/** The comparison that is on screen, with what to go back to. */
export const useCompare = create<CompareState>((set, get) => ({
  studyId: null,
  saved: null,
  comparison: null,
  past: [],
  future: [],
  dragFrom: null,
  open: (studyId, saved) =>
    set({
      studyId,
      saved,
      comparison: saved.comparison,
      past: [],
      future: [],
      dragFrom: null,
    }),
  savedAs: (sent, saved) =>
    set((state) => {
      // What others changed came back with the answer.
      const comparison =
        state.comparison === sent
          ? saved.comparison
          : withChanges(saved.comparison, changesBetween(sent, state.comparison));
      return isSame(comparison, state.comparison) ? { saved } : { saved, comparison };
    }),
  adopt: (saved) => {
    const state = get();
    const both = merged(state, saved.comparison);
    const comparison = both ?? saved.comparison;
    if (comparison && !isSame(comparison, state.comparison)) {
      set({ ...stepTo(state, comparison), saved });
    } else {
      set({ saved });
    }
    return both !== null;
  },
  begin: (comparison) => set({ comparison, past: [], future: [], dragFrom: null }),
  changeAll: (apply) =>
    set((state) => (state.comparison ? stepTo(state, apply(state.comparison)) : state)),
  change: (apply) =>
    set((state) => (state.comparison ? stepTo(state, withSetup(state.comparison, apply)) : state)),
  drag: (apply) =>
    set((state) =>
      state.comparison
        ? {
            comparison: withSetup(state.comparison, apply),
            dragFrom: state.dragFrom ?? state.comparison,
          }
        : state,
    ),
  drop: () =>
    set((state) =>
      state.dragFrom
        ? { past: [...state.past, state.dragFrom].slice(-KEEP), future: [], dragFrom: null }
        : state,
    ),
  undo: () =>
    set((state) => {
      const comparison = state.past.at(-1);
      return comparison && state.comparison
        ? {
            comparison,
            past: state.past.slice(0, -1),
            future: [state.comparison, ...state.future],
            dragFrom: null,
          }
        : state;
    }),
  redo: () =>
    set((state) => {
      const [comparison, ...future] = state.future;
      return comparison && state.comparison
        ? { comparison, past: [...state.past, state.comparison], future, dragFrom: null }
        : state;
    }),
}));

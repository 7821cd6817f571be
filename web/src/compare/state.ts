import { create } from "zustand";
import type { ChangeSetup } from "@hindglance/core/change/setup";

interface CompareState {
  studyId: string | null;
  setup: ChangeSetup | null;
  past: ChangeSetup[];
  future: ChangeSetup[];
  /** The setup as it was when a drag began; while it is there nothing is sent to the server. */
  dragFrom: ChangeSetup | null;
  open(studyId: string, setup: ChangeSetup | null): void;
  change(apply: (setup: ChangeSetup) => ChangeSetup): void;
  drag(apply: (setup: ChangeSetup) => ChangeSetup): void;
  drop(): void;
  undo(): void;
  redo(): void;
}

const KEEP = 100;

/** The settings of the comparison that is on screen, with what to go back to. */
export const useCompare = create<CompareState>((set) => ({
  studyId: null,
  setup: null,
  past: [],
  future: [],
  dragFrom: null,
  open: (studyId, setup) => set({ studyId, setup, past: [], future: [], dragFrom: null }),
  change: (apply) =>
    set((state) =>
      state.setup
        ? { setup: apply(state.setup), past: [...state.past, state.setup].slice(-KEEP), future: [] }
        : state,
    ),
  drag: (apply) =>
    set((state) =>
      state.setup ? { setup: apply(state.setup), dragFrom: state.dragFrom ?? state.setup } : state,
    ),
  drop: () =>
    set((state) =>
      state.dragFrom
        ? { past: [...state.past, state.dragFrom].slice(-KEEP), future: [], dragFrom: null }
        : state,
    ),
  undo: () =>
    set((state) =>
      state.past.length && state.setup
        ? {
            setup: state.past[state.past.length - 1]!,
            past: state.past.slice(0, -1),
            future: [state.setup, ...state.future],
          }
        : state,
    ),
  redo: () =>
    set((state) =>
      state.future.length && state.setup
        ? {
            setup: state.future[0]!,
            past: [...state.past, state.setup],
            future: state.future.slice(1),
          }
        : state,
    ),
}));

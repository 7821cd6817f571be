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
  change(f: (s: ChangeSetup) => ChangeSetup): void;
  drag(f: (s: ChangeSetup) => ChangeSetup): void;
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
  change: (f) =>
    set((s) =>
      s.setup ? { setup: f(s.setup), past: [...s.past, s.setup].slice(-KEEP), future: [] } : s,
    ),
  drag: (f) => set((s) => (s.setup ? { setup: f(s.setup), dragFrom: s.dragFrom ?? s.setup } : s)),
  drop: () =>
    set((s) =>
      s.dragFrom ? { past: [...s.past, s.dragFrom].slice(-KEEP), future: [], dragFrom: null } : s,
    ),
  undo: () =>
    set((s) =>
      s.past.length && s.setup
        ? {
            setup: s.past[s.past.length - 1]!,
            past: s.past.slice(0, -1),
            future: [s.setup, ...s.future],
          }
        : s,
    ),
  redo: () =>
    set((s) =>
      s.future.length && s.setup
        ? { setup: s.future[0]!, past: [...s.past, s.setup], future: s.future.slice(1) }
        : s,
    ),
}));

import { create } from "zustand";
import { day, dayYear } from "../lib/format";
import type { Chain, Exceptions, Family } from "@hindglance/core/chain/family";
import { OPTICAL_STEPS } from "@hindglance/core/chain/opticalChain";
import { CHAIN_STEPS } from "@hindglance/core/chain/radarChain";

export type CellState =
  "skipped" | "waiting" | "running" | "done" | "stale" | "error" | "blocked" | "held";
export interface BoardCell {
  step: string;
  state: CellState;
  text: string;
  warnings: string[];
  error: { message: string; hint?: string } | null;
  progress?: number;
  exception: boolean;
}
export interface BoardRow {
  sceneId: string;
  name: string;
  /** The day in a few characters. */ label: string;
  /** What the name says beyond those of the same day: the frame, say. */ tag: string;
  acquiredAt: string;
  pass: string | null;
  cells: BoardCell[];
  result: string | null;
  ready: boolean;
  runId: string | null;
  looks: number | null;
}
export interface PrepareState {
  chain: Chain;
  exceptions: Exceptions;
  heldOut: string[];
}
export interface PrepareView extends PrepareState {
  family: Family;
  rows: BoardRow[];
  elevations: { id: string; name: string }[];
  orbits: { id: string; fileName: string; kind: string }[];
  old: { hash: string; sceneId: string; createdAt: string; bytes: number }[];
}

export const STEPS_OF: Record<Family, readonly string[]> = {
  radar: CHAIN_STEPS,
  optical: OPTICAL_STEPS,
};
const FIRST: Record<Family, string> = { radar: "terrain", optical: "surface" };

/** What is picked on the board, and what can be taken back; forgotten with another study. */
interface Desk {
  studyId: string | null;
  family: Family;
  sceneId: string | null;
  step: string;
  only: boolean;
  past: PrepareState[];
  open(studyId: string, family: Family): void;
  pick(sceneId: string | null, step: string): void;
  setOnly(only: boolean): void;
  remember(state: PrepareState): void;
  back(): PrepareState | null;
}
export const useDesk = create<Desk>((set, get) => ({
  studyId: null,
  family: "radar",
  sceneId: null,
  step: FIRST.radar,
  only: false,
  past: [],
  open: (studyId, family) => {
    if (get().studyId !== studyId || get().family !== family) {
      set({ studyId, family, sceneId: null, step: FIRST[family], only: false, past: [] });
    }
  },
  pick: (sceneId, step) => set((desk) => ({ sceneId: sceneId ?? desk.sceneId, step })),
  setOnly: (only) => set({ only }),
  remember: (state) => set((desk) => ({ past: [...desk.past.slice(-40), state] })),
  back: () => {
    const state = get().past.at(-1) ?? null;
    set((desk) => ({ past: desk.past.slice(0, -1) }));
    return state;
  },
}));

/** What is kept of a chain's settings. */
export const stateOf = ({ chain, exceptions, heldOut }: PrepareState): PrepareState => ({
  chain,
  exceptions,
  heldOut,
});

/**
 * One change of a step's settings, for every date or as an exception for one. An exception that
 * says what the chain says anyway is dropped.
 */
export function changed(
  state: PrepareState,
  step: string,
  change: object,
  onlyScene: string | null,
): PrepareState {
  if (!onlyScene) {
    return { ...state, chain: { ...state.chain, [step]: { ...state.chain[step]!, ...change } } };
  }
  const own = { ...state.exceptions[onlyScene]?.[step], ...change } as Record<string, unknown>;
  const common = state.chain[step] as unknown as Record<string, unknown>;
  for (const k of Object.keys(own)) {
    if (JSON.stringify(own[k]) === JSON.stringify(common[k])) {
      delete own[k];
    }
  }
  const rest: Exceptions[string] = { ...state.exceptions[onlyScene] };
  if (Object.keys(own).length) {
    rest[step] = own;
  } else {
    delete rest[step];
  }
  const exceptions: Exceptions = { ...state.exceptions, [onlyScene]: rest };
  if (Object.keys(rest).length === 0) {
    delete exceptions[onlyScene];
  }
  return { ...state, exceptions };
}

/** Place of a step in its chain, counted from 1. */
export const stepNumber = (family: Family, step: string): number =>
  STEPS_OF[family].indexOf(step) + 1;
/** The family that a chain's settings are of: radar chains have an orbit, optical ones do not. */
export const familyOfChain = (chain: Chain): Family => ("orbit" in chain ? "radar" : "optical");

/**
 * Labels of rows: the day, with the year where years differ; and what a name says beyond the others
 * of that day.
 */
export function labelled(rows: readonly Omit<BoardRow, "label" | "tag">[]): BoardRow[] {
  const years = new Set(rows.map((row) => new Date(row.acquiredAt).getUTCFullYear()));
  const days = rows.map((row) =>
    years.size > 1 ? dayYear(row.acquiredAt).replace(/^(\d+ \w{3})\w*/, "$1") : day(row.acquiredAt),
  );
  const last = (r: { name: string }) => r.name.split(/,\s*/).at(-1)!;
  return rows.map((row, k) => {
    const twins = rows.filter((_x, j) => days[j] === days[k]);
    return {
      ...row,
      label: days[k]!,
      tag:
        twins.length > 1 && twins.filter((twin) => last(twin) === last(row)).length === 1
          ? last(row)
          : "",
    };
  });
}

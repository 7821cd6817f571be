import { create } from "zustand";
import type {
  BoardRow as PlainRow,
  PrepareAnswer,
  PrepareState,
} from "@hindglance/contract/prepare";
import {
  type Exceptions,
  type Family,
  STEPS_OF,
  keysOf,
  withStep,
} from "@hindglance/core/chain/family";
import { day, dayYear } from "../lib/format";

export type { BoardCell, PrepareState } from "@hindglance/contract/prepare";

/** A row of the board with what it is called. */
export interface BoardRow extends PlainRow {
  /** The day in a few characters. */
  label: string;
  /** What the name says beyond those of the same day: the frame, say. */
  tag: string;
}
/** The board with labelled rows. */
export type PrepareView = Omit<PrepareAnswer, "rows"> & { rows: BoardRow[] };

/** The step that the page of a family opens with. */
const FIRST: Record<Family, string> = { radar: "terrain", optical: "surface" };
/** Changes that can be taken back. */
const MOST_PAST = 41;

/** What is picked on a board, and what can be taken back. */
export interface DeskState {
  sceneId: string | null;
  step: string;
  /** Whether a change is for the picked date alone. */
  only: boolean;
  past: PrepareState[];
}
interface Desks {
  /** The board that `desk` is of, by study and family; another one begins anew. */
  key: string | null;
  desk: DeskState | null;
  put(key: string, desk: DeskState): void;
}
const useDesks = create<Desks>((set) => ({
  key: null,
  desk: null,
  put: (key, desk) => set({ key, desk }),
}));

/** What can be done on a desk. */
export interface Desk extends DeskState {
  /** Picks a cell, or with null a step of the date that is picked already. */
  pick(sceneId: string | null, step: string, only?: boolean): void;
  setOnly(only: boolean): void;
  remember(state: PrepareState): void;
  /** The settings before the last change, which leave what can be taken back. */
  back(): PrepareState | null;
}

const firstDesk = (family: Family): DeskState => ({
  sceneId: null,
  step: FIRST[family],
  only: false,
  past: [],
});

/** The desk of a board outside of a component. */
export function deskOf(studyId: string, family: Family): Desk {
  const key = `${studyId}.${family}`;
  const now = (): DeskState => {
    const desks = useDesks.getState();
    return (desks.key === key && desks.desk) || firstDesk(family);
  };
  const change = (some: Partial<DeskState>): void =>
    useDesks.getState().put(key, { ...now(), ...some });
  return {
    ...now(),
    pick: (sceneId, step, only) =>
      change({ sceneId: sceneId ?? now().sceneId, step, only: only ?? now().only }),
    setOnly: (only) => change({ only }),
    remember: (state) => change({ past: [...now().past.slice(1 - MOST_PAST), state] }),
    back() {
      const { past } = now();
      change({ past: past.slice(0, -1) });
      return past.at(-1) ?? null;
    },
  };
}

/** What is picked on the board of a study, and what can be taken back. */
export function useDesk(studyId: string, family: Family): Desk {
  useDesks();
  return deskOf(studyId, family);
}

/** What is kept of a chain's settings. */
export const stateOf = ({ chain, exceptions, heldOut }: PrepareState): PrepareState => ({
  chain,
  exceptions,
  heldOut,
});

const same = (first: unknown, second: unknown): boolean =>
  JSON.stringify(first) === JSON.stringify(second);

/** Exceptions with those of one date's step replaced; empty ones are left out. */
export function withException(
  exceptions: Exceptions,
  sceneId: string,
  step: string,
  own: Record<string, unknown>,
): Exceptions {
  const { [sceneId]: scene = {}, ...others } = exceptions;
  const { [step]: _old, ...rest } = scene;
  const next = Object.keys(own).length > 0 ? { ...rest, [step]: own } : rest;
  return Object.keys(next).length > 0 ? { ...others, [sceneId]: next } : others;
}

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
    return { ...state, chain: withStep(state.chain, step, change) };
  }
  const common: Record<string, unknown> = { ...state.chain[step] };
  const own = Object.entries({ ...state.exceptions[onlyScene]?.[step], ...change }).filter(
    ([name, value]) => !same(value, common[name]),
  );
  return {
    ...state,
    exceptions: withException(state.exceptions, onlyScene, step, Object.fromEntries(own)),
  };
}

/** Place of a step in its chain, counted from 1. */
export const stepNumber = (family: Family, step: string): number =>
  keysOf(family).indexOf(step) + 1;

/** How many steps a chain has. */
export const stepCount = (family: Family): number => STEPS_OF[family].length;

/** What a scene is called beyond its date: the last part of its name. */
const lastPart = (row: { name: string }): string => row.name.split(/,\s*/).at(-1)!;

/**
 * Labels of rows: the day, with the year where years differ; and what a name says beyond the others
 * of that day.
 */
export function labelled(rows: readonly PlainRow[]): BoardRow[] {
  const years = new Set(rows.map((row) => new Date(row.acquiredAt).getUTCFullYear()));
  const days = rows.map((row) =>
    years.size > 1 ? dayYear(row.acquiredAt).replace(/^(\d+ \w{3})\w*/, "$1") : day(row.acquiredAt),
  );
  return rows.map((row, k) => {
    const twins = rows.filter((_row, j) => days[j] === days[k]);
    const alike = twins.filter((twin) => lastPart(twin) === lastPart(row));
    return {
      ...row,
      label: days[k]!,
      tag: twins.length > 1 && alike.length === 1 ? lastPart(row) : "",
    };
  });
}

import { create } from 'zustand';
import { CHAIN_STEPS, type ChainExceptions, type ChainStep, type RadarChain } from '@hindglance/core/chain/radarChain';

export type CellState = 'skipped' | 'waiting' | 'running' | 'done' | 'stale' | 'error' | 'blocked' | 'held';
export interface BoardCell { step: ChainStep; state: CellState; text: string; warnings: string[]; error: { message: string; hint?: string } | null; progress?: number; exception: boolean }
export interface BoardRow { sceneId: string; name: string; acquiredAt: string; pass: string; cells: BoardCell[]; result: string | null; ready: boolean; runId: string | null; looks: number | null }
export interface PrepareState { chain: RadarChain; exceptions: ChainExceptions; heldOut: string[] }
export interface PrepareView extends PrepareState { rows: BoardRow[]; elevations: { id: string; name: string }[]; orbits: { id: string; fileName: string; kind: string }[]; old: { hash: string; sceneId: string; createdAt: string; bytes: number }[] }

/** What is picked on the board, and what can be taken back; forgotten with another study. */
interface Desk { studyId: string | null; sceneId: string | null; step: ChainStep; only: boolean; past: PrepareState[]; open(studyId: string): void; pick(sceneId: string | null, step: ChainStep): void; setOnly(only: boolean): void; remember(s: PrepareState): void; back(): PrepareState | null }
export const useDesk = create<Desk>((set, get) => ({
  studyId: null, sceneId: null, step: 'terrain', only: false, past: [],
  open: (studyId) => { if (get().studyId !== studyId) set({ studyId, sceneId: null, step: 'terrain', only: false, past: [] }); },
  pick: (sceneId, step) => set((s) => ({ sceneId: sceneId ?? s.sceneId, step })), setOnly: (only) => set({ only }),
  remember: (s) => set((d) => ({ past: [...d.past.slice(-40), s] })),
  back: () => { const p = get().past.at(-1) ?? null; set((d) => ({ past: d.past.slice(0, -1) })); return p; },
}));

export const stateOf = ({ chain, exceptions, heldOut }: PrepareState): PrepareState => ({ chain, exceptions, heldOut });

/** One change of a step's settings, for every date or as an exception for one. An exception that says what the chain says anyway is dropped. */
export function changed<S extends ChainStep>(s: PrepareState, step: S, change: Partial<RadarChain[S]>, onlyScene: string | null): PrepareState {
  if (!onlyScene) return { ...s, chain: { ...s.chain, [step]: { ...s.chain[step], ...change } } };
  const own = { ...(s.exceptions[onlyScene]?.[step] as object | undefined), ...change } as Record<string, unknown>, common = s.chain[step] as unknown as Record<string, unknown>;
  for (const k of Object.keys(own)) if (JSON.stringify(own[k]) === JSON.stringify(common[k])) delete own[k];
  const rest = { ...s.exceptions[onlyScene] } as Record<string, unknown>;
  if (Object.keys(own).length) rest[step] = own; else delete rest[step];
  const exceptions = { ...s.exceptions, [onlyScene]: rest } as ChainExceptions;
  if (Object.keys(rest).length === 0) delete exceptions[onlyScene];
  return { ...s, exceptions };
}

export const stepNumber = (s: ChainStep): number => CHAIN_STEPS.indexOf(s) + 1;

import { useCallback } from 'react';
import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { create } from 'zustand';
import { CHAIN_STEPS, type ChainExceptions, type ChainStep, type RadarChain } from '@hindglance/core/chain/radarChain';
import { api, sayError } from '../api/client';
import { keys, useRuns } from '../api/hooks';
import { useUi } from '../state/ui';

export type CellState = 'skipped' | 'waiting' | 'running' | 'done' | 'stale' | 'error' | 'blocked' | 'held';
export interface BoardCell { step: ChainStep; state: CellState; text: string; warnings: string[]; error: { message: string; hint?: string } | null; progress?: number; exception: boolean }
export interface BoardRow { sceneId: string; name: string; acquiredAt: string; pass: string; cells: BoardCell[]; result: string | null; ready: boolean; runId: string | null; looks: number | null }
export interface PrepareState { chain: RadarChain; exceptions: ChainExceptions; heldOut: string[] }
export interface PrepareView extends PrepareState { stored: boolean; rows: BoardRow[]; elevations: { id: string; name: string; vertical: string | null }[]; orbits: { id: string; fileName: string; kind: string }[]; old: { hash: string; sceneId: string; createdAt: string; bytes: number }[] }

/** What is picked on the board, and what can be taken back; forgotten with another study. */
interface Desk { studyId: string | null; sceneId: string | null; step: ChainStep; only: boolean; past: PrepareState[]; open(studyId: string): void; pick(sceneId: string | null, step: ChainStep): void; setOnly(only: boolean): void; remember(s: PrepareState): void; back(): PrepareState | null }
export const useDesk = create<Desk>((set, get) => ({
  studyId: null, sceneId: null, step: 'terrain', only: false, past: [],
  open: (studyId) => { if (get().studyId !== studyId) set({ studyId, sceneId: null, step: 'terrain', only: false, past: [] }); },
  pick: (sceneId, step) => set((s) => ({ sceneId: sceneId ?? s.sceneId, step })), setOnly: (only) => set({ only }),
  remember: (s) => set((d) => ({ past: [...d.past.slice(-40), s] })),
  back: () => { const p = get().past.at(-1) ?? null; set((d) => ({ past: d.past.slice(0, -1) })); return p; },
}));

const stateOf = ({ chain, exceptions, heldOut }: PrepareState): PrepareState => ({ chain, exceptions, heldOut });

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

/** The board of a study, and how it is changed and run. */
export function usePrepare(studyId: string) {
  const q = useQueryClient(), running = useRuns().data?.some((r) => r.kind === 'prepareDates' && r.studyId === studyId && r.state === 'running') ?? false;
  const view = useQuery({ queryKey: keys.prepare(studyId), queryFn: () => api<PrepareView>('GET', `/studies/${studyId}/prepare`), refetchInterval: running ? 1000 : false });
  const put = useMutation({
    mutationFn: (s: PrepareState) => api<PrepareView>('PUT', `/studies/${studyId}/prepare`, stateOf(s)),
    onMutate: (s) => { q.setQueryData<PrepareView>(keys.prepare(studyId), (v) => (v ? { ...v, ...stateOf(s) } : v)); },
    onSuccess: (v) => { q.setQueryData(keys.prepare(studyId), v); void q.invalidateQueries({ queryKey: keys.sides(studyId) }); },
    onError: (e) => { useUi.getState().say(sayError(e), 'wrong'); void q.invalidateQueries({ queryKey: keys.prepare(studyId) }); },
  });
  const { mutate } = put, data = view.data;
  const set = useCallback((s: PrepareState) => { if (!data) return; useDesk.getState().remember(stateOf(data)); mutate(s); }, [data, mutate]);
  const undo = useCallback(() => { const s = useDesk.getState().back(); if (s) mutate(s); }, [mutate]);
  const run = useMutation({
    mutationFn: (sceneIds: string[] | null) => api<{ runId: string | null; items: number }>('POST', `/studies/${studyId}/prepare/runs`, { sceneIds }),
    onSuccess: (r) => { if (!r.runId) useUi.getState().say('Nothing is left to run: every result is there.'); for (const key of [keys.runs, keys.prepare(studyId)]) void q.invalidateQueries({ queryKey: key }); },
    onError: (e) => useUi.getState().say(sayError(e), 'wrong'),
  });
  const clear = useMutation({ mutationFn: () => api<{ deleted: number }>('DELETE', `/studies/${studyId}/prepare/old`), onSuccess: () => void q.invalidateQueries({ queryKey: keys.prepare(studyId) }), onError: (e) => useUi.getState().say(sayError(e), 'wrong') });
  return { view: data ?? null, error: view.error, set, undo, run, clear, saving: put.isPending, running };
}

export const stepNumber = (s: ChainStep): number => CHAIN_STEPS.indexOf(s) + 1;

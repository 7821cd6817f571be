import { Tally, type TallyData } from '@hindglance/core/tally/tally';
import type { Scene, Study } from '../api/types';
import type { LiveAreas } from './liveAreas';

/** Scenes that can stand on one side of a comparison with each other: radar, or else optical, or else what is neither. */
export function comparableScenes(scenes: Scene[]): Scene[] {
  const of = (f: (s: Scene) => boolean) => scenes.filter((s) => s.imageId && s.acquiredAt && s.info?.type === 'float32' && f(s)).sort((a, b) => (a.acquiredAt! < b.acquiredAt! ? -1 : 1)), kinds = [of((s) => s.kind === 'radar'), of((s) => s.kind === 'optical'), of((s) => s.kind === 'other')];
  return kinds.find((k) => k.length >= 2) ?? kinds.find((k) => k.length) ?? [];
}

/** The two scenes nearest to the event on either side; without an event the last two. */
export function proposePair(study: Study, scenes: Scene[]): { beforeId: string; afterId: string } | null {
  const all = comparableScenes(scenes);
  if (all.length < 2) return null;
  const event = study.eventAt ? Date.parse(study.eventAt) : null;
  const before = event === null ? all[all.length - 2] : all.filter((s) => Date.parse(s.acquiredAt!) < event).pop();
  const after = event === null ? all[all.length - 1] : all.find((s) => Date.parse(s.acquiredAt!) > event);
  return before && after ? { beforeId: before.id, afterId: after.id } : { beforeId: all[0]!.id, afterId: all[all.length - 1]!.id };
}

export type ExactAreas = { byLabel: LiveAreas['byLabel']; seenM2: number };
export function areasOf(t: TallyData): ExactAreas {
  const tally = Tally.from(t), byLabel: LiveAreas['byLabel'] = {};
  let seenM2 = 0;
  for (let l = 0; l < 255; l++) { const v = tally.total(l); if (v.cells) { byLabel[l] = v; seenM2 += v.areaM2; } }
  return { byLabel, seenM2 };
}

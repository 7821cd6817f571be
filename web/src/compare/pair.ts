import { Tally, type TallyData } from '@hindglance/core/tally/tally';
import type { Scene, Study } from '../api/types';
import type { LiveAreas } from './liveAreas';

/** The two scenes nearest to the event on either side; without an event the last two. */
export function proposePair(study: Study, scenes: Scene[]): { beforeId: string; afterId: string } | null {
  const radar = scenes.filter((s) => s.kind === 'radar' && s.imageId && s.acquiredAt).sort((a, b) => (a.acquiredAt! < b.acquiredAt! ? -1 : 1));
  if (radar.length < 2) return null;
  const event = study.eventAt ? Date.parse(study.eventAt) : null;
  const before = event === null ? radar[radar.length - 2] : radar.filter((s) => Date.parse(s.acquiredAt!) < event).pop();
  const after = event === null ? radar[radar.length - 1] : radar.find((s) => Date.parse(s.acquiredAt!) > event);
  return before && after ? { beforeId: before.id, afterId: after.id } : { beforeId: radar[0]!.id, afterId: radar[radar.length - 1]!.id };
}

export type ExactAreas = { byLabel: LiveAreas['byLabel']; seenM2: number };
export function areasOf(t: TallyData): ExactAreas {
  const tally = Tally.from(t), byLabel: LiveAreas['byLabel'] = {};
  let seenM2 = 0;
  for (let l = 0; l < 255; l++) { const v = tally.total(l); if (v.cells) { byLabel[l] = v; seenM2 += v.areaM2; } }
  return { byLabel, seenM2 };
}

import { quantile } from '@hindglance/core/raster/histogram';
import type { Scene } from '../api/types';
import type { Stretch } from '../map/layers';

export type StretchKind = 'all' | 'p1' | 'p2' | 'p5';
export const STRETCHES: { value: StretchKind; name: string; hint: string }[] = [
  { value: 'all', name: 'Min–max', hint: 'From the smallest to the largest value' }, { value: 'p1', name: '1 %', hint: 'One percent cut at either end' }, { value: 'p2', name: '2 %', hint: 'Two percent cut at either end' }, { value: 'p5', name: '5 %', hint: 'Five percent cut at either end' },
];
/** How a scene is drawn: one band or three, and how its values are spread over grey. */
export interface Display { mode: 'single' | 'three'; bands: [number, number, number]; stretch: StretchKind }

export const firstDisplay = (s: Scene): Display => ({ mode: 'single', bands: [0, Math.min(1, (s.info?.bands.length ?? 1) - 1), 0], stretch: 'p2' });

/** Ends of the grey scale of a band, in the unit in which it is drawn (decibels for power). */
export function stretchOf(s: Scene, band: number, kind: StretchKind): Stretch {
  const h = s.histograms?.[band];
  if (!h) return { lo: 0, hi: 1 };
  const cut = { all: 0, p1: 0.01, p2: 0.02, p5: 0.05 }[kind];
  const [lo, hi] = kind === 'all' ? [quantile(h, 1e-9), quantile(h, 1)] : [quantile(h, cut), quantile(h, 1 - cut)];
  return hi > lo ? { lo, hi } : { lo: lo - 0.5, hi: lo + 0.5 };
}

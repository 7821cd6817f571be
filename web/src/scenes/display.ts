import { bandsOfCombination } from '@hindglance/core/optical/wavelengths';
import { quantile } from '@hindglance/core/raster/histogram';
import type { Scene } from '../api/types';
import type { Stretch } from '../map/layers';

export type StretchKind = 'all' | 'p1' | 'p2' | 'p5';
export const STRETCHES: { value: StretchKind; name: string; hint: string }[] = [
  { value: 'all', name: 'Min–max', hint: 'From the smallest to the largest value' }, { value: 'p1', name: '1 %', hint: 'One percent cut at either end' }, { value: 'p2', name: '2 %', hint: 'Two percent cut at either end' }, { value: 'p5', name: '5 %', hint: 'Five percent cut at either end' },
];
/** How a scene is drawn: one band or three, and how its values are spread over grey. */
export interface Display { mode: 'single' | 'three'; bands: [number, number, number]; stretch: StretchKind }

export function firstDisplay(s: Scene): Display {
  const natural = s.kind === 'optical' && s.info ? bandsOfCombination(s.info.bands, 'natural') : null;
  return natural ? { mode: 'three', bands: natural, stretch: 'p2' } : { mode: 'single', bands: [0, Math.min(1, (s.info?.bands.length ?? 1) - 1), 0], stretch: 'p2' };
}

/** Digital numbers of an optical band as the reflectance that is shown in their place; other values as they are. */
export function asShown(s: Scene, band: number): (v: number) => number {
  const b = s.info?.bands[band], o = s.info?.optical, g = b?.gain;
  if (b?.role !== 'dn' || !g || !o) return (v) => v;
  const sun = o.level === 1 && !o.bySun && o.sunElevationDeg != null ? Math.sin((o.sunElevationDeg * Math.PI) / 180) : 1;
  return (v) => (v * g.multiply + g.add) / sun;
}

/** Ends of the grey scale of a band, in the unit in which it is drawn (decibels for power, reflectance for digital numbers with gains). */
export function stretchOf(s: Scene, band: number, kind: StretchKind, show = asShown(s, band)): Stretch {
  const h = s.histograms?.[band];
  if (!h) return { lo: 0, hi: 1 };
  const cut = { all: 0, p1: 0.01, p2: 0.02, p5: 0.05 }[kind];
  const [lo, hi] = (kind === 'all' ? [quantile(h, 1e-9), quantile(h, 1)] : [quantile(h, cut), quantile(h, 1 - cut)]).map(show) as [number, number];
  return hi > lo ? { lo, hi } : { lo: lo - 0.5, hi: lo + 0.5 };
}

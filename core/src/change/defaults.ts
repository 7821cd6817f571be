import { type Histogram, binCentre } from '../raster/histogram';
import { minimumError } from './minimumError';
import { otsu } from './otsu';
import type { ChangeSetup } from './setup';
import type { Layer } from './rules';

export type SuggestionMethod = 'otsu' | 'minimumError' | 'twoSigma';
export interface Suggestion { method: SuggestionMethod; name: string; value: number; help: string }

/** Thresholds that published methods find in a histogram, for the dark side; methods that find none are left out. */
export function suggestions(h: Histogram): Suggestion[] {
  let n = 0, s = 0, q = 0;
  h.counts.forEach((c, i) => { const x = binCentre(h, i); n += c; s += c * x; q += c * x * x; });
  const mean = s / n, deviation = Math.sqrt(Math.max(0, q / n - mean * mean));
  const all: Suggestion[] = [
    { method: 'minimumError', name: 'Min. error', value: minimumError(h), help: 'Kittler & Illingworth 1986: two bell curves that describe the histogram best.' },
    { method: 'otsu', name: 'Otsu', value: otsu(h), help: 'Otsu 1979: the split with the largest variance between the two sides.' },
    { method: 'twoSigma', name: '2 σ', value: mean - 2 * deviation, help: 'Two standard deviations below the mean of the study area.' },
  ];
  return all.filter((x) => Number.isFinite(x.value)).map((x) => ({ ...x, value: Math.round(x.value * 10) / 10 }));
}

export interface PairHistograms { before: Histogram; after: Histogram; measure: Histogram }

/** Colours of the three water classes. */
export const WATER_COLORS = { newWater: '#c8246f', standingWater: '#33498c', recededWater: '#c29a1b' } as const;

const FALLBACK: Record<'before' | 'after' | 'measure', number> = { before: -17, after: -17, measure: -3 };
const best = (h: Histogram, layer: 'before' | 'after' | 'measure') => suggestions(h)[0]?.value ?? FALLBACK[layer];

/** Settings to begin with, before anything is known of the pair. Thresholds come with initialRules. */
export function emptySetup(facts: { looks: number | null; hasStudyArea: boolean; hasElevation: boolean }): ChangeSetup {
  return {
    band: 0, speckle: { filter: 'refinedLee', windowCells: 7, looks: Math.round(Math.max(1, Math.min(1000, facts.looks ?? 4.4)) * 10) / 10 }, measure: 'logRatio',
    rules: rulesFor(FALLBACK),
    limits: { studyArea: facts.hasStudyArea, seenMarginCells: 3, maxSlopeDeg: facts.hasElevation ? 5 : null, minPatchCells: 12, neighbours: 8 },
  };
}

/** The three water classes with thresholds from the histograms of the pair. */
export const initialRules = (h: PairHistograms): ChangeSetup['rules'] => rulesFor({ before: best(h.before, 'before'), after: best(h.after, 'after'), measure: best(h.measure, 'measure') });

function rulesFor(t: Record<'before' | 'after' | 'measure', number>): ChangeSetup['rules'] {
  const c = (layer: Layer, op: '<' | '>', value: number) => ({ layer, op, value });
  return [
    { label: 1, name: 'New water', color: WATER_COLORS.newWater, all: [c('measure', '<', t.measure), c('after', '<', t.after)] },
    { label: 2, name: 'Standing water', color: WATER_COLORS.standingWater, all: [c('before', '<', t.before), c('after', '<', t.after)] },
    { label: 3, name: 'Receded water', color: WATER_COLORS.recededWater, all: [c('measure', '>', Math.abs(t.measure)), c('before', '<', t.before)] },
  ];
}

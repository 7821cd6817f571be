import type { Measure } from '@hindglance/core/change/setup';
import type { Layer } from '@hindglance/core/change/rules';

/** How a layer is written and stepped: decibels in tenths, indices and reflectance in hundredths. */
export interface LayerUnit { unit: string; decimals: number; step: number; /** Of the measure, where it is not that of the bands. */ measure?: LayerUnit }
export const DECIBEL: LayerUnit = { unit: 'dB', decimals: 1, step: 0.1 };
export const plainUnit = (unit: string): LayerUnit => ({ unit, decimals: 2, step: 0.01 });
/** Of a layer of a comparison whose bands are in `u`. */
export const unitOf = (l: Layer, u: LayerUnit): LayerUnit => (l === 'slope' ? { unit: '°', decimals: 1, step: 0.5 } : l === 'elevation' ? { unit: 'm', decimals: 0, step: 5 } : l === 'measure' ? (u.measure ?? u) : u);
/** Units of a comparison: of its bands, and of its measure where that has one of its own. */
export const withMeasure = (u: LayerUnit, m: Measure): LayerUnit => (m === 'relativeChange' ? { ...u, measure: { unit: '%', decimals: 0, step: 1 } } : m === 'decibelQuotient' ? { ...u, measure: { unit: '', decimals: 2, step: 0.01 } } : u);
export const withUnit = (text: string, u: LayerUnit): string => (u.unit === '°' ? `${text}°` : u.unit ? `${text} ${u.unit}` : text);
export const rounded = (v: number, u: LayerUnit): number => Math.round(v * 10 ** u.decimals) / 10 ** u.decimals;

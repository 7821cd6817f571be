import { isGeographic } from '@hindglance/core/geodesy/crs';
import { number } from '../lib/format';
import type { ChainStep, RadarChain } from '@hindglance/core/chain/radarChain';

/** Names and words of the chain's steps. */
export const STEP_WORDS: Record<ChainStep, { name: string; help: string }> = {
  orbit: { name: 'Orbit', help: 'Where the satellite flew. An orbit file that is in the study is used by itself; without one the product\'s own vectors are, some metres less sure.' },
  noise: { name: 'Noise', help: 'Takes the instrument\'s thermal noise off with the product\'s vectors. It matters most over water and in VH.' },
  calibrate: { name: 'Calibrate', help: 'Digital numbers to backscatter. Beta nought is per slant-range area and what Flatten needs; sigma and gamma nought take a smooth Earth for granted.' },
  looks: { name: 'Looks', help: 'Means over cells in range and azimuth: less grain, larger cells.' },
  speckle: { name: 'Speckle', help: 'Smooths the grain of radar images. Compare has a filter of its own; use this one for pictures and time plots.' },
  flatten: { name: 'Flatten', help: 'Takes the light and shade of slopes out by the area that each cell\'s ground shows to the beam. Gives gamma nought of terrain.' },
  terrain: { name: 'Terrain', help: 'Puts the image on the study grid with orbit and elevation. All dates come to lie on the same cells.' },
  acrossDates: { name: 'Across dates', help: 'Smooths speckle with the help of all dates and keeps each date\'s own backscatter. Comes after Terrain, where the dates lie on each other.' },
  decibel: { name: 'Decibel', help: '10·log₁₀ of power for the result. Compare takes either.' },
};
/** Product names of the filters. */
export const FILTERS = [['mean', 'Mean'], ['median', 'Median'], ['lee', 'Lee'], ['refinedLee', 'Refined Lee'], ['gammaMap', 'Gamma MAP']] as const;

/** The setting of a step in a few characters. */
export function settingText(v: { chain: RadarChain }, s: ChainStep): string {
  const c = v.chain;
  if (!c[s].on) return 'skipped';
  switch (s) {
    case 'orbit': return 'from file';
    case 'noise': return 'subtract';
    case 'calibrate': return `${{ beta: 'β⁰', sigma: 'σ⁰', gamma: 'γ⁰' }[c.calibrate.to]} · ${c.calibrate.polarisations?.join(' ') ?? 'all'}`;
    case 'looks': return `${c.looks.rangeLooks} x ${c.looks.azimuthLooks}`;
    case 'speckle': return `${FILTERS.find(([k]) => k === c.speckle.filter)![1]}${c.speckle.filter === 'refinedLee' ? '' : ` ${c.speckle.windowCells}`}`;
    case 'flatten': return 'terrain γ⁰';
    case 'terrain': { const g = c.terrain.grid; return isGeographic(g.crs) ? `${number(g.transform[1], 6)}°` : `${g.transform[1]} m`; }
    case 'acrossDates': return `window ${c.acrossDates.windowCells}`;
    case 'decibel': return '10·log₁₀';
  }
}

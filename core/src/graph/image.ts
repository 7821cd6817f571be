import type { Grid } from '../grid/grid';

/** What the numbers of a band are; decides which steps may take it. */
export type BandRole = 'power' | 'decibel' | 'change' | 'elevation' | 'slope' | 'reflectance' | 'mask' | 'value' | 'classes';

export interface BandInfo { name: string; unit: string; role: BandRole; polarisation?: string; wavelengthNm?: number }
export interface ClassInfo { label: number; name: string; color: string }

/** What is known of an image without looking at its cells. Real-valued bands hold NaN where there is nodata. */
export interface ImageInfo { grid: Grid; type: 'float32' | 'class8'; bands: BandInfo[]; classes?: ClassInfo[] }

import * as yup from 'yup';
import { LONLAT, isGeographic, transformer } from '../geodesy/crs';
import { type Grid, sameGrid, squareNorthUp } from '../grid/grid';
import { type MultiPolygon, transformPolygons } from '../vector/polygons';
import type { BandInfo, ImageInfo } from '../graph/image';
import type { NodeSpec } from '../graph/node';
import { InputError } from '../errors';
import { type ClassRule, classRuleSchema } from './rules';

export const MEASURES = ['logRatio', 'difference', 'indexLoss', 'relativeLoss', 'relativeChange', 'decibelQuotient'] as const;
export type Measure = (typeof MEASURES)[number];
/** What a band is compared as: radar power in decibels, or reflectance, an index or any other number as it is; null where it cannot be compared. */
export type Comparing = 'power' | 'value';
export const comparingOf = (b: BandInfo): Comparing | null => (b.role === 'power' ? 'power' : b.role === 'value' || b.role === 'reflectance' || b.role === 'temperature' ? 'value' : null);
/** Measures that a band can be compared by, the one to begin with first. */
export const measuresOf = (b: BandInfo): readonly Measure[] => (comparingOf(b) === 'power' ? ['logRatio', 'difference', 'decibelQuotient'] : /nbr/i.test(b.name) ? ['indexLoss', 'relativeLoss', 'difference', 'relativeChange'] : ['difference', 'relativeChange', 'indexLoss', 'relativeLoss']);
/** What a measure is counted in: per cent, a bare quotient, or the unit of the bands. */
export const measureUnit = (m: Measure, bands: string): string => (m === 'relativeChange' ? '%' : m === 'decibelQuotient' ? '' : bands);
export const SPECKLE = ['none', 'lee', 'refinedLee'] as const;

/** Limits of a change map, in the order in which they are applied. */
export interface Limits {
  studyArea: boolean;
  /** Cells that one date lacks never count; this is how far from such cells to stay. */
  seenMarginCells: number;
  maxSlopeDeg: number | null;
  minPatchCells: number | null;
  neighbours: 4 | 8;
  /** Window of the majority, and the largest hole that is filled; absent in settings that are older than they. */
  majorityCells?: number | null;
  holeCells?: number | null;
}

/** Everything that decides a change map of two dates. `band`: of before; after gives the band that is the same. */
export interface ChangeSetup {
  band: number;
  speckle: { filter: (typeof SPECKLE)[number]; windowCells: number; looks: number };
  measure: Measure;
  rules: ClassRule[];
  limits: Limits;
}

export const changeSetupSchema = yup.object({
  band: yup.number().integer().min(0).required(),
  speckle: yup.object({
    filter: yup.string().oneOf(SPECKLE).required(),
    windowCells: yup.number().oneOf([3, 5, 7, 9, 11]).required(),
    looks: yup.number().min(0.5).max(1000).required(),
  }).noUnknown().required(),
  measure: yup.string().oneOf(MEASURES).required(),
  rules: yup.array(classRuleSchema).min(1).max(64).required(),
  limits: yup.object({
    studyArea: yup.boolean().required(),
    seenMarginCells: yup.number().integer().min(0).max(64).required(),
    maxSlopeDeg: yup.number().moreThan(0).max(90).nullable().defined(),
    minPatchCells: yup.number().integer().min(2).max(1_000_000).nullable().defined(),
    majorityCells: yup.number().oneOf([3, 5, 7, 9, 11]).nullable(),
    holeCells: yup.number().integer().min(1).max(1_000_000).nullable(),
    neighbours: yup.number().oneOf([4, 8] as const).required(),
  }).noUnknown().required(),
}).noUnknown() as unknown as yup.ObjectSchema<ChangeSetup>;

/** One date: a stored image, or what its chain makes of it. */
export interface ChangeSide { node: NodeSpec; info: ImageInfo }

/** The images a change map is made from. The grid of the before date, turned north up with square cells, is the grid of the map. */
export interface ChangeInputs {
  before: ChangeSide;
  after: ChangeSide;
  elevation: { id: string; info: ImageInfo } | null;
  /** In lon/lat degrees. */
  studyArea: MultiPolygon | null;
}

/** Nodes of a comparison, from the pictures to the final classes. */
export interface ChangeNodes {
  before: NodeSpec; after: NodeSpec; measure: NodeSpec;
  slope: NodeSpec | null; elevation: NodeSpec | null;
  /** Bands before, after, measure and, with elevation, slope and elevation. */
  stack: NodeSpec;
  seen: NodeSpec; studyArea: NodeSpec | null;
  /** The stack where both dates are seen and inside the study area; nodata elsewhere. */
  gated: NodeSpec;
  /** Before the limits that work on classes, and after them. */
  raw: NodeSpec; classes: NodeSpec;
}

export const sourceNode = (image: string): NodeSpec => ({ step: 'source', params: { image }, inputs: [] });
export const node = (step: string, params: Record<string, unknown>, ...inputs: NodeSpec[]): NodeSpec => ({ step, params, inputs });

/** An image on a grid: itself when it already is. */
export function onGrid(n: NodeSpec, info: ImageInfo, grid: Grid): NodeSpec {
  return sameGrid(info.grid, grid) ? n : node('grid.warp', { grid, kernel: info.type === 'class8' ? 'nearest' : 'bilinear' }, n);
}

/** The band of an image that is the same as one of another date: by polarisation, by wavelength, by name. @throws InputError when there is none */
export function sameBand(b: BandInfo, other: ImageInfo): number {
  const k = b.polarisation ? other.bands.findIndex((x) => x.polarisation === b.polarisation && x.role === b.role) : b.wavelengthNm !== undefined ? nearestIn(b, other) : other.bands.findIndex((x) => x.name === b.name);
  if (k >= 0) return k;
  if (other.bands.length === 1 && !b.polarisation && b.wavelengthNm === undefined && comparingOf(other.bands[0]!) === comparingOf(b)) return 0;
  throw new InputError(`The after scene has no band like ${b.name} of before`, 'band', 'Prepare both dates alike.');
}
function nearestIn(b: BandInfo, other: ImageInfo): number {
  let best = -1, least = 41;
  other.bands.forEach((x, k) => { const d = x.wavelengthNm === undefined || x.role !== b.role ? Infinity : Math.abs(x.wavelengthNm - b.wavelengthNm!); if (d < least) { least = d; best = k; } });
  return best;
}

/**
 * The graph of a comparison. before and after are in decibels where they are power, else in their own unit; rules see them under those names.
 * @throws InputError when a band is missing or a limit needs what is not there
 */
export function buildChange(inputs: ChangeInputs, s: ChangeSetup): ChangeNodes {
  const grid = squareNorthUp(inputs.before.info.grid);
  const first = inputs.before.info.bands[s.band];
  if (!first) throw new InputError(`The before scene has no band ${s.band + 1}`, 'band');
  const comparing = comparingOf(first);
  if (!comparing) throw new InputError(`Band ${first.name} of the before scene is ${first.role}: it cannot be compared`, 'band', 'Change is measured on calibrated linear power, on reflectance or on an index.');
  if (!measuresOf(first).includes(s.measure)) throw new InputError(s.measure === 'logRatio' ? `A log ratio is taken of radar power, and ${first.name} is ${first.role}` : 'The loss of an index is not taken of decibels', 'measure', 'Pick another measure.');
  const side = (which: 'before' | 'after') => {
    const { node: whole, info } = inputs[which], band = which === 'before' ? s.band : sameBand(first, info), b = info.bands[band]!;
    if (comparingOf(b) !== comparing) throw new InputError(`Band ${b.name} of the ${which} scene is ${b.role}, that of before is ${first.role}`, 'band', 'Compare the same kind of image on both dates.');
    const raw = onGrid(node('bands.select', { bands: [band] }, whole), info, grid);
    if (comparing === 'value') return { raw, power: raw, db: raw };
    const power = s.speckle.filter === 'lee' ? node('radar.lee', { windowCells: s.speckle.windowCells, looks: s.speckle.looks }, raw)
      : s.speckle.filter === 'refinedLee' ? node('radar.refinedLee', { looks: s.speckle.looks }, raw) : raw;
    return { raw, power, db: node('radar.decibel', {}, power) };
  };
  const b = side('before'), a = side('after');
  const measure = s.measure === 'logRatio' ? node('change.logRatio', {}, b.power, a.power) : node(`change.${s.measure}`, {}, b.db, a.db);
  const elevation = inputs.elevation ? onGrid(sourceNode(inputs.elevation.id), inputs.elevation.info, grid) : null;
  const slope = elevation ? node('terrain.slope', {}, elevation) : null;
  const stack = slope
    ? node('bands.stack', { names: ['before', 'after', 'measure', 'slope', 'elevation'] }, b.db, a.db, measure, slope, elevation!)
    : node('bands.stack', { names: ['before', 'after', 'measure'] }, b.db, a.db, measure);
  const seen = node('mask.seen', { marginCells: s.limits.seenMarginCells }, b.raw, a.raw);
  let studyArea: NodeSpec | null = null;
  if (s.limits.studyArea) {
    if (!inputs.studyArea) throw new InputError('This study has no study area', 'limits.studyArea', 'Draw one, or take this limit away.');
    studyArea = node('mask.studyArea', { polygons: areaOnGrid(inputs.studyArea, grid) }, b.raw);
  }
  const gated = node('bands.mask', {}, stack, seen, ...(studyArea ? [studyArea] : []));
  const raw = node('change.classes', { rules: s.rules }, gated);
  let classes = raw;
  if (s.limits.maxSlopeDeg !== null) {
    if (!slope) throw new InputError('The slope limit needs elevation', 'limits.maxSlopeDeg', 'Add a scene of kind elevation, or take this limit away.');
    classes = node('limit.slope', { maxSlopeDeg: s.limits.maxSlopeDeg }, classes, slope);
  }
  if (s.limits.majorityCells) classes = node('limit.majority', { windowCells: s.limits.majorityCells }, classes);
  if (s.limits.holeCells) classes = node('limit.holes', { maxCells: s.limits.holeCells, neighbours: s.limits.neighbours }, classes);
  if (s.limits.minPatchCells !== null) classes = node('limit.minimumPatch', { minCells: s.limits.minPatchCells, neighbours: s.limits.neighbours }, classes);
  return { before: b.db, after: a.db, measure, slope, elevation, stack, seen, studyArea, gated, raw, classes };
}

/** Study area from lon/lat to the coordinates of a grid, rounded to a millimetre so that it hashes alike everywhere. */
export function areaOnGrid(area: MultiPolygon, grid: Grid): MultiPolygon {
  const k = isGeographic(grid.crs) ? 1e9 : 1e3;
  return transformPolygons(area, (x, y) => { const [u, v] = transformer(LONLAT, grid.crs)(x, y); return [Math.round(u * k) / k, Math.round(v * k) / k]; }, 0.01);
}

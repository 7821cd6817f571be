import { isGeographic } from '../../geodesy/crs';
import { radiiOfCurvature } from '../../geodesy/ellipsoid';
import { cellSize, toMap } from '../../grid/grid';
import { slopeDegrees } from '../../raster/slope';
import type { Step } from '../step';
import { none, requireRole, withHalo } from './common';

/** Slope of the elevation in degrees (Horn 1981). */
export const slopeStep: Step<Record<string, never>> = {
  kind: 'terrain.slope', version: 1, title: 'Slope', help: 'Steepness of the ground in degrees.', inputs: { min: 1, max: 1 }, params: none,
  describe([a]) { requireRole('Slope', a!, ['elevation'], 'slope is taken of elevation in metres.'); return { ...a!, bands: [{ name: 'slope', unit: '°', role: 'slope' }] }; },
  reach: (w, ctx) => withHalo(w, ctx, 1),
  compute([a], out, { inputs }) {
    const g = inputs[0]!.grid, { width, height, row, col } = out.window;
    let [cx, cy] = cellSize(g);
    if (isGeographic(g.crs)) {
      const lat = toMap(g, col, row + height / 2)[1], r = radiiOfCurvature(lat), deg = Math.PI / 180;
      cx *= deg * r.primeVertical * Math.cos(lat * deg); cy *= deg * r.meridian;
    }
    slopeDegrees(a!.bands[0] as Float32Array, width, height, cx, cy, out.bands[0] as Float32Array);
  },
};

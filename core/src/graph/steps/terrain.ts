import * as yup from "yup";
import { isGeographic, metresPerUnit } from "../../geodesy/crs";
import { radiiOfCurvature } from "../../geodesy/ellipsoid";
import { type Grid, cellSize, toMap } from "../../grid/grid";
import { slopeDegrees } from "../../raster/slope";
import { drainageHeight } from "../../terrain/drainage";
import { overviewLevel } from "../overview";
import type { Step, StepState } from "../step";
import { cellAreas } from "../../grid/area";
import { levelGrid } from "../../grid/grid";
import { finite, none, requireRole, withHalo } from "./common";
import { realCells } from "../../raster/block";

/** Slope of the elevation in degrees (Horn 1981). */
export const slopeStep: Step<Record<string, never>> = {
  kind: "terrain.slope",
  version: 2,
  title: "Slope",
  help: "Steepness of the ground in degrees.",
  inputs: { min: 1, max: 1 },
  params: none,
  describe([info]) {
    requireRole("Slope", info!, ["elevation"], "slope is taken of elevation in metres.");
    return { ...info!, bands: [{ name: "slope", unit: "°", role: "slope" }] };
  },
  reach: (w, ctx) => withHalo(w, ctx, 1),
  compute([block], out, { inputs }) {
    const grid = inputs[0]!.grid;
    const { width, height, row } = out.window;
    const sides = cellSides(grid);
    slopeDegrees(
      realCells(block!.bands[0]!),
      width,
      height,
      (r) => sides(row + r)[0],
      (r) => sides(row + r)[1],
      realCells(out.bands[0]!),
    );
  },
};

/**
 * Sides of the cells of a row in metres: of degrees by the latitude of that row, in the middle of
 * the image, so that no cell depends on the window it was computed in.
 */
function cellSides(grid: Grid): (row: number) => readonly [number, number] {
  const [x, y] = cellSize(grid);
  if (!isGeographic(grid.crs)) {
    const unit = metresPerUnit(grid.crs);
    return () => [x * unit, y * unit];
  }
  return (row) => {
    const lat = toMap(grid, grid.width / 2, row + 0.5)[1];
    const { primeVertical, meridian } = radiiOfCurvature(lat);
    return [x * DEG * primeVertical * Math.cos(lat * DEG), y * DEG * meridian];
  };
}
const DEG = Math.PI / 180;

interface DrainageState extends StepState {
  width: number;
  height: number;
  drains: Float64Array;
}
/**
 * Height above the nearest drainage in metres, never below nought. Where water flows is found on an
 * overview of a thousand cells a side or less; the height of the drainage
 * is read between its cells, and the height of the place from the elevation itself (see
 * terrain/drainage.ts).
 */
export const aboveDrainageStep: Step<{ leastKm2: number }, DrainageState, { z: Float64Array }> = {
  kind: "terrain.aboveDrainage",
  version: 1,
  title: "Height above drainage",
  help: "How far the ground lies above the water that it drains to.",
  inputs: { min: 1, max: 1 },
  overview: true,
  params: yup.object({ leastKm2: finite().min(0.001).max(100_000) }).noUnknown(),
  describe([info]) {
    requireRole(
      "Height above drainage",
      info!,
      ["elevation"],
      "drainage is found on elevation in metres.",
    );
    return { ...info!, bands: [{ name: "height above drainage", unit: "m", role: "value" }] };
  },
  gather: {
    async strip(ask, s) {
      return { z: Float64Array.from((await ask.read(0, s)).bands[0]!) };
    },
    merge(parts, { inputs, params }) {
      const grid = inputs[0]!.grid;
      const { width, height } = grid;
      const z = new Float64Array(width * height);
      const drains = new Float64Array(width * height);
      parts.reduce((at, state) => {
        z.set(state.z, at);
        return at + state.z.length;
      }, 0);
      drainageHeight(
        z,
        width,
        height,
        Math.max(2, (params.leastKm2 * 1e6) / cellAreas(grid).cell(width >> 1, height >> 1)),
        drains,
      );
      return { width, height, drains };
    },
  },
  reach: (w, ctx) => withHalo(w, ctx, 0),
  compute([block], out, { base, level, state }) {
    const { width, height, drains } = state!;
    const w = out.window;
    const src = block!.bands[0]!;
    const dst = realCells(out.bands[0]!);
    const by = 2 ** (level - overviewLevel(base[0]!));
    const grid = levelGrid(base[0]!.grid, level);
    for (let r = 0, i = 0; r < w.height; r++) {
      const y = Math.min(
        height - 1,
        Math.max(0, (Math.min(grid.height - 1, w.row + r) + 0.5) * by - 0.5),
      );
      const y0 = Math.floor(y);
      const fy = y - y0;
      const y1 = Math.min(height - 1, y0 + 1);
      for (let c = 0; c < w.width; c++, i++) {
        const x = Math.min(width - 1, Math.max(0, (w.col + c + 0.5) * by - 0.5));
        const x0 = Math.floor(x);
        const fx = x - x0;
        const x1 = Math.min(width - 1, x0 + 1);
        const row0 = y0 * width;
        const row1 = y1 * width;
        // Of the four cells around it those that have a drainage count, by their share.
        let sum = 0;
        let weight = 0;
        const add = (value: number, k: number) => {
          if (value === value && k > 0) {
            sum += value * k;
            weight += k;
          }
        };
        add(drains[row0 + x0]!, (1 - fx) * (1 - fy));
        add(drains[row0 + x1]!, fx * (1 - fy));
        add(drains[row1 + x0]!, (1 - fx) * fy);
        add(drains[row1 + x1]!, fx * fy);
        dst[i] = weight > 0 ? Math.max(0, src[i]! - sum / weight) : NaN;
      }
    }
  },
};

import * as yup from "yup";
import { InputError } from "../../errors";
import {
  HAZE_BINS,
  HAZE_CLOUD,
  HAZE_LEVELS,
  LAND,
  LIGHT_BINS,
  WATER,
  type HazeCurve,
  hazeBin,
  hazeCurve,
  hazeLevel,
  hazeOff,
} from "../../optical/haze";
import type { ImageInfo } from "../image";
import type { Step, StepReport, StepState } from "../step";
import { cellByCell, floats } from "./common";
import { HAZE_GROUND } from "./hazeMap";

interface LevelState extends StepState {
  counts: Float64Array;
  levels: Float64Array;
}
const lightOf = (info: ImageInfo): number[] =>
  info.bands.flatMap((band, k) => (band.role === "reflectance" ? [k] : []));
const TABLE = HAZE_BINS.bins * LIGHT_BINS.bins;
/**
 * Takes haze off by its level, over land and water apart; adds a band with the level of each cell,
 * see HAZE_LEVELS. Cells in clear air stay as they are.
 */
export const hazeStep: Step<{ strength: number }, LevelState> = {
  kind: "optical.haze",
  version: 1,
  title: "Haze",
  help: "Haze is taken off by its level: in each, the darkest ground is brought to that of clear air. Over land and over water apart; cloud is left.",
  inputs: { min: 1, max: 1 },
  params: yup.object({ strength: yup.number().min(0.1).max(1.5).required() }).noUnknown(),
  gathers: [],
  describe([info]) {
    if (!info!.bands.some((band) => band.role === "haze")) {
      throw new InputError("Haze is taken off by a haze map", "inputs");
    }
    return {
      ...info!,
      bands: info!.bands.map((band) =>
        band.name === HAZE_GROUND.name ? { ...band, name: "haze level" } : band,
      ),
    };
  },
  overview: true,
  gather: {
    async strip(ask, strip, ctx) {
      const i0 = ctx.base[0]!;
      const src = floats(await ask.read(0, strip));
      const light = lightOf(i0);
      const h = src[i0.bands.findIndex((band) => band.role === "haze")]!;
      const greenness = src[i0.bands.findIndex((band) => band.name === HAZE_GROUND.name)]!;
      const counts = new Float64Array(2 * light.length * TABLE);
      // Where each cell's histograms begin: its ground and its bin of haze; −1 for cells without
      // either.
      const at = new Int32Array(h.length);
      const scale = LIGHT_BINS.bins / (LIGHT_BINS.max - LIGHT_BINS.min);
      const top = LIGHT_BINS.bins - 1;
      for (let i = 0; i < at.length; i++) {
        const haze = h[i]!;
        at[i] =
          haze === haze
            ? greenness[i]! * light.length * TABLE + hazeBin(haze) * LIGHT_BINS.bins
            : -1;
      }
      light.forEach((k, j) => {
        const values = src[k]!;
        const band = j * TABLE;
        for (let i = 0; i < values.length; i++) {
          const offset = at[i]!;
          const x = values[i]!;
          if (offset >= 0 && x === x) {
            const y = (x - LIGHT_BINS.min) * scale;
            const bin = Math.min(Math.max(y, 0), top) | 0;
            counts[offset + band + bin]!++;
          }
        }
      });
      let clouds = 0;
      let cells = 0;
      for (const value of greenness) {
        if (value === value) {
          cells++;
        }
        if (value === 2) {
          clouds++;
        }
      }
      return { counts, levels: Float64Array.of(clouds, cells) };
    },
    merge: (parts) =>
      parts.reduce((state, b) => ({
        counts: state.counts.map((count, i) => count + b.counts[i]!),
        levels: state.levels.map((level, i) => level + b.levels[i]!),
      })),
  },
  reach: cellByCell,
  compute([block], out, ctx) {
    const info = ctx.base[0]!;
    const src = floats(block!);
    const dst = floats(out);
    const light = lightOf(info);
    const curves = curvesOf(ctx.state!, light.length);
    const hk = info.bands.findIndex((band) => band.role === "haze");
    const gk = info.bands.findIndex((band) => band.name === HAZE_GROUND.name);
    const h = src[hk]!;
    const greenness = src[gk]!;
    const n = h.length;
    src.forEach((s, k) => dst[k]!.set(s));
    const level = dst[gk]!;
    const beyond = new Float32Array(n);
    for (let i = 0; i < n; i++) {
      const over = greenness[i]!;
      const c = over < 2 ? curves[over] : null;
      beyond[i] = c ? h[i]! - c.from : 0;
      // Without a ground the sum is not a number, which is what nodata is.
      level[i] = over === 2 ? HAZE_CLOUD : over * 4 + hazeLevel(beyond[i]!);
    }
    light.forEach((k, j) => {
      const values = dst[k]!;
      for (let i = 0; i < n; i++) {
        if (beyond[i]! > 0) {
          values[i] = Math.max(
            0,
            values[i]! - ctx.params.strength * hazeOff(curves[greenness[i]!]!, j, h[i]!),
          );
        }
      }
    });
  },
  report(ctx): StepReport {
    const light = lightOf(ctx.base[0]!).length;
    const state = ctx.state!;
    const curves = curvesOf(state, light);
    const lines: StepReport["lines"] = [];
    const cells = state.levels[1]!;
    const per = new Array<number>(HAZE_LEVELS.length).fill(0);
    for (let over = 0; over < 2; over++) {
      for (let k = 0; k < HAZE_BINS.bins; k++) {
        let n = 0;
        for (let y = 0; y < LIGHT_BINS.bins; y++) {
          n += state.counts[over * light * TABLE + k * LIGHT_BINS.bins + y]!;
        }
        const curve = curves[over];
        const mid = HAZE_BINS.min + ((k + 0.5) * (HAZE_BINS.max - HAZE_BINS.min)) / HAZE_BINS.bins;
        per[over * 4 + hazeLevel(curve ? mid - curve.from : 0)]! += n;
      }
    }
    per[HAZE_CLOUD] = state.levels[0]!;
    per.forEach((n, k) => {
      if (n > 0) {
        lines.push({ name: HAZE_LEVELS[k]!, value: `${((100 * n) / cells).toFixed(1)} %` });
      }
    });
    return {
      lines,
      warnings: [
        ...(curves[LAND]
          ? []
          : ["There is too little land to find haze over it: land stays as it is."]),
        ...(per[1]! + per[2]! + per[3]! > 0.6 * cells
          ? [
              "More than half of the land is called hazy: haze that lies over the whole scene is for Surface to take off.",
            ]
          : []),
      ],
    };
  },
};
const known = new WeakMap<LevelState, (HazeCurve | null)[]>();
function curvesOf(state: LevelState, bands: number): (HazeCurve | null)[] {
  let c = known.get(state);
  if (!c) {
    known.set(
      state,
      (c = [LAND, WATER].map((over) =>
        hazeCurve(
          Array.from({ length: bands }, (_v, j) =>
            state.counts.subarray((over * bands + j) * TABLE, (over * bands + j + 1) * TABLE),
          ),
        ),
      )),
    );
  }
  return c;
}

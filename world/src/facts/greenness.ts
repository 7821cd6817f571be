import { buildChange } from "@hindglance/core/change/build";
import { emptyValueSetup } from "@hindglance/core/change/defaults";
import { greennessRules } from "@hindglance/core/change/presets";
import type { ChangeInputs } from "@hindglance/core/change/setup";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { sourceNode } from "@hindglance/core/graph/node";
import { type Grid, fullWindow, northUp } from "@hindglance/core/grid/grid";
import { CLASS_NODATA, type Cells } from "@hindglance/core/raster/block";
import { memorySources } from "@hindglance/core/testing/support";
import type { Ground } from "../ground";
import { GREENNESS, greennessOf } from "../optical/greenness";
import { fireSeverity } from "../optical/ground";
import { generator, hash2 } from "../random";
import { type Score, isOneOf, round, scored } from "./scored";

/** Day of the year of both composites. */
const DAY = 65;
const YEARS = { before: 2024, after: 2025 };

function gridOf(ground: Ground, cells: number): Grid {
  const [west, , , north] = ground.grid.transform;
  const { cellM } = GREENNESS;
  const width = Math.floor(2400 / 25);
  return northUp(ground.grid.crs, west, north, cellM, cellM, width, cells / width);
}

/** A composite as it is delivered: with noise, in steps, and with fill in patches. */
function asProduct(real: Float32Array, year: number, width: number): Float32Array {
  const seed = year * 400 + DAY;
  const random = generator(seed);
  return real.map((value, i) => {
    const noisy = value + 0.008 * (random() + random() - 1);
    const isFill = hash2((i % width) >> 3, Math.floor(i / width) >> 3, seed) < 0.05;
    return isFill ? NaN : Math.round(noisy / GREENNESS.scale) * GREENNESS.scale;
  });
}

/** Maps loss and gain beyond a threshold. */
function mapper(inputs: ChangeInputs, evaluator: Evaluator): (at: number) => Promise<Cells> {
  const { bands, grid } = inputs.before.info;
  const start = emptyValueSetup(bands, { hazard: "other", hasStudyArea: false });
  const limits = { ...start.limits, seenMarginCells: 0, minPatchCells: null };
  return async (at) => {
    const { classes } = buildChange(inputs, { ...start, rules: greennessRules(false, at), limits });
    return (await evaluator.read(classes, 0, fullWindow(grid))).bands[0]!;
  };
}

/**
 * Greenness of two composites a year apart, before and after the fire, 250 m cells with the noise
 * and fill of the product.
 */
export async function greennessFacts(ground: Ground) {
  const severity = fireSeverity(ground);
  const realIn = (year: number) => greennessOf(ground, severity, year)(DAY);
  const before = realIn(YEARS.before);
  const after = realIn(YEARS.after);
  const grid = gridOf(ground, before.length);
  const bands: ImageInfo["bands"] = [{ name: "EVI", unit: "", role: "value" }];
  const info: ImageInfo = { grid, type: "float32", bands };
  const sources = memorySources({
    b: { info, bands: [asProduct(before, YEARS.before, grid.width)] },
    a: { info, bands: [asProduct(after, YEARS.after, grid.width)] },
  });
  const inputs: ChangeInputs = {
    before: { node: sourceNode("b"), info },
    after: { node: sourceNode("a"), info },
    elevation: null,
    studyArea: null,
  };
  const map = mapper(inputs, new Evaluator({ sources }));
  const change = Array.from(after, (value, i) => value - before[i]!);
  const of = async (at: number): Promise<{ loss: Score; gain: Score }> => {
    const cells = await map(at);
    const truth = (real: (i: number) => boolean) => ({
      real,
      counts: (i: number) => cells[i] !== CLASS_NODATA,
      cellKm2: (GREENNESS.cellM / 1000) ** 2,
    });
    return {
      loss: scored(
        cells,
        isOneOf(1),
        truth((i) => change[i]! < -at),
      ),
      gain: scored(
        cells,
        isOneOf(2),
        truth((i) => change[i]! > at),
      ),
    };
  };
  return {
    largestLoss: round(Math.min(...change)),
    largestGain: round(Math.max(...change)),
    preset: await of(0.4),
    refined: await of(0.1),
  };
}

import { utm } from "@hindglance/core/geodesy/crs";
import { Evaluator } from "@hindglance/core/graph/evaluator";
import type { ImageInfo } from "@hindglance/core/graph/image";
import { node, sourceNode } from "@hindglance/core/graph/node";
import { fullWindow, northUp } from "@hindglance/core/grid/grid";
import { buildChange } from "@hindglance/core/change/build";
import type { ChangeInputs, ChangeSetup } from "@hindglance/core/change/setup";
import { CLASS_NODATA, labelCells } from "@hindglance/core/raster/block";
import { memorySources } from "@hindglance/core/testing/support";
import {
  OPTICAL_BANDS,
  OPTICAL_SIDE,
  OPTICAL_WIDE,
  type OpticalWeather,
  opticalBands,
} from "./burns";
import { GROUND_CELL, GROUND_SIDE, type Landscape } from "./landscape";

const CELL_M = GROUND_CELL * OPTICAL_WIDE;
const GRID = northUp(utm(27, true), 500_000, 5_170_000, CELL_M, CELL_M, OPTICAL_SIDE, OPTICAL_SIDE);

/** How a map agrees with what happened. */
export interface OpticalScore {
  /** null where nothing happened. */
  iou: number | null;
  falseIn100: number;
}

const rounded = (value: number): number => Math.round(value * 1e4) / 1e4;

/** A made-up pair of optical dates with an index beside their bands, ready to be mapped. */
export class OpticalPair {
  private constructor(
    readonly evaluator: Evaluator,
    readonly inputs: ChangeInputs,
  ) {}

  /** @param index name and formula of the index */
  static async of(
    ground: Landscape,
    weather: OpticalWeather,
    index: { name: string; formula: string },
  ): Promise<OpticalPair> {
    const info: ImageInfo = {
      grid: GRID,
      type: "float32",
      bands: OPTICAL_BANDS.map(({ name, nm }) => ({
        name,
        unit: "",
        role: "reflectance",
        wavelengthNm: nm,
      })),
    };
    const evaluator = new Evaluator({
      sources: memorySources({
        before: { info, bands: opticalBands(ground, weather, false) },
        after: { info, bands: opticalBands(ground, weather, true) },
      }),
    });
    const side = async (id: string) => {
      const params = { outputs: [index], keep: true };
      const prepared = node("optical.indices", params, sourceNode(id));
      return { node: prepared, info: await evaluator.info(prepared) };
    };
    return new OpticalPair(evaluator, {
      before: await side("before"),
      after: await side("after"),
      elevation: null,
      studyArea: null,
    });
  }

  /**
   * How a map agrees with what happened.
   * @param counts whether a label says that it happened @param really whether it did, by cell
   */
  async score(
    setup: ChangeSetup,
    counts: (label: number) => boolean,
    really: (i: number) => boolean,
  ): Promise<OpticalScore> {
    const { classes } = buildChange(this.inputs, setup);
    const { bands } = await this.evaluator.read(classes, 0, fullWindow(GRID));
    let both = 0;
    let wrong = 0;
    let there = 0;
    let seen = 0;
    labelCells(bands[0]!).forEach((label, i) => {
      if (label !== CLASS_NODATA) {
        const isSaid = counts(label);
        const isReal = really(i);
        seen++;
        there += isReal ? 1 : 0;
        both += isSaid && isReal ? 1 : 0;
        wrong += isSaid && !isReal ? 1 : 0;
      }
    });
    return {
      iou: there ? rounded(both / (there + wrong)) : null,
      falseIn100: rounded((100 * wrong) / seen),
    };
  }
}

/** Cells of the ground under an optical cell. */
export function groundUnder(i: number): number[] {
  const row = Math.floor(i / OPTICAL_SIDE) * OPTICAL_WIDE;
  const col = (i % OPTICAL_SIDE) * OPTICAL_WIDE;
  return Array.from(
    { length: OPTICAL_WIDE ** 2 },
    (_, k) => (row + Math.floor(k / OPTICAL_WIDE)) * GROUND_SIDE + col + (k % OPTICAL_WIDE),
  );
}

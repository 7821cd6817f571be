import * as yup from "yup";
import { classFields } from "../../change/classFields";
import { normalPriors } from "../../classify/gaussian";
import { labelByForest } from "../../classify/labelForest";
import { labelLikeliest } from "../../classify/labelGaussian";
import {
  METHODS,
  type Method,
  type Model,
  farthest,
  gaussiansOf,
  requireFits,
} from "../../classify/model";
import { type Visit, lookAtAll } from "../../classify/scores";
import { InputError } from "../../errors";
import { type Block, CLASS_NODATA, labelCells, realCells } from "../../raster/block";
import type { ClassInfo, ImageInfo } from "../image";
import type { Step } from "../step";
import { cellByCell, finite, floats } from "./common";

/** What of a classified image is asked for. */
export const OUTPUTS = ["labels", "second", "confidence", "probabilities"] as const;

/** How a trained model is applied to an image. */
export interface ApplyParams {
  /** Id of the model. */
  model: string;
  method: Method;
  /** By class, of maximum likelihood; not all nought. */
  priors: number[];
  /**
   * What is too far from its class belongs to none. Maximum likelihood and Mahalanobis distance:
   * beyond it lies so small a share of the class's own cells. Minimum distance: in the unit of the
   * inputs; spectral angle: degrees. Random forest: the least probability. Null: nothing is.
   */
  reject: number | null;
  output: (typeof OUTPUTS)[number];
  /** Classes of the model, in its order. */
  classes: ClassInfo[];
}

const paramsSchema = yup
  .object({
    model: yup.string().required(),
    method: yup.string().oneOf(METHODS).required(),
    priors: yup.array(finite().min(0)).max(254).required(),
    reject: yup.number().min(0).nullable().defined(),
    output: yup.string().oneOf(OUTPUTS).required(),
    classes: yup.array(yup.object(classFields).noUnknown()).min(2).max(254).required(),
  })
  .noUnknown();

/** Bands of what is asked for. */
function described(grid: ImageInfo["grid"], { output, classes }: ApplyParams): ImageInfo {
  if (output === "labels" || output === "second") {
    const name = output === "labels" ? "class" : "second class";
    return { grid, type: "class8", bands: [{ name, unit: "", role: "classes" }], classes };
  }
  const names = output === "confidence" ? ["confidence"] : classes.map(({ name }) => name);
  return {
    grid,
    type: "float32",
    bands: names.map((name) => ({ name, unit: "", role: "value", range: [0, 1] })),
  };
}

/** @throws InputError unless the model was trained on as many inputs, for these classes */
function requireSame(model: Model, bands: number, { classes, method }: ApplyParams): void {
  requireFits(model, method);
  if (model.inputs.length !== bands) {
    throw new InputError(
      `The model was trained on ${model.inputs.length} inputs (${model.inputs.join(", ")}); here are ${bands}`,
      "inputs",
      "Pick the same inputs, or train anew.",
    );
  }
  if (model.classes.length !== classes.length) {
    throw new InputError(
      `The model knows ${model.classes.length} classes; the legend has ${classes.length}`,
      "classes",
      "Train anew.",
    );
  }
}

/** Whether what was found lies too far from its class. */
function rejecter({ method, reject }: ApplyParams, inputs: number) {
  if (reject === null) {
    return () => false;
  }
  switch (method) {
    case "forest":
      return ({ confidence }: { confidence: number }) => confidence < reject;
    case "likelihood":
    case "mahalanobis": {
      const limit = Math.sqrt(farthest(reject, inputs));
      return ({ distance }: { distance: number }) => distance > limit;
    }
    default:
      return ({ distance }: { distance: number }) => distance > reject;
  }
}

/** Writes what is asked for, cell by cell. */
function writer(out: Block, params: ApplyParams, inputs: number): Visit {
  const { output, classes } = params;
  const isRejected = rejecter(params, inputs);
  if (output === "probabilities") {
    return (cell, { first }, scores) => {
      out.bands.forEach((band, k) => {
        band[cell] = first < 0 ? NaN : scores[k]!;
      });
    };
  }
  if (output === "confidence") {
    const cells = realCells(out.bands[0]!);
    return (cell, { confidence }) => {
      cells[cell] = confidence;
    };
  }
  const cells = labelCells(out.bands[0]!);
  return (cell, verdict) => {
    const place = output === "labels" ? verdict.first : verdict.second;
    if (place < 0) {
      cells[cell] = CLASS_NODATA;
    } else {
      cells[cell] = isRejected(verdict) ? 0 : classes[place]!.label;
    }
  };
}

/** Labels of the kernels are places from one; here they become those of the legend. */
function toLegend(cells: Uint8Array, classes: readonly ClassInfo[]): void {
  for (let i = 0; i < cells.length; i++) {
    const place = cells[i]!;
    cells[i] = place === CLASS_NODATA ? place : (classes[place - 1]?.label ?? 0);
  }
}

/** Labels by a kernel, where one does it; whether it did. */
function labelFast(bands: Float32Array[], out: Block, model: Model, params: ApplyParams): boolean {
  const { output, method, reject, classes } = params;
  if (output !== "labels") {
    return false;
  }
  const cells = out.bands[0]!;
  if (model.kind === "forest" && reject === null) {
    labelByForest(bands, model.forest, labelCells(cells));
  } else if (model.kind === "signatures" && method === "likelihood") {
    const rejectAbove = reject === null ? null : farthest(reject, bands.length);
    const priors = normalPriors(params.priors);
    const gaussians = gaussiansOf(model);
    labelLikeliest(bands, { classes: gaussians, priors, rejectAbove }, labelCells(cells));
  } else {
    return false;
  }
  toLegend(labelCells(cells), classes);
  return true;
}

/**
 * Classes of an image by a trained model: the likeliest class of each cell, the next, how sure it
 * is, or the probability of each. A cell that has no number in some input is nodata; 0 is a cell that
 * lies too far from every class.
 */
export const applyStep: Step<ApplyParams> = {
  kind: "classify.apply",
  version: 1,
  title: "Classes by training",
  help: "Gives each cell the class that it is most like.",
  inputs: { min: 1, max: 1 },
  params: paramsSchema,
  needsModel: true,
  describe([info], params) {
    if (info!.type !== "float32") {
      throw new InputError("Classes are found from real-valued inputs", "inputs");
    }
    if (params.method === "likelihood" && params.priors.length !== params.classes.length) {
      throw new InputError(
        `There are ${params.classes.length} classes and ${params.priors.length} priors`,
        "priors",
      );
    }
    if (params.method === "likelihood") {
      normalPriors(params.priors);
    }
    if (params.output === "probabilities" && !isProbable(params.method)) {
      throw new InputError("A distance gives no probabilities", "output", "Ask for confidence.");
    }
    return described(info!.grid, params);
  },
  reach: cellByCell,
  compute([block], out, { params, model }) {
    const bands = floats(block!);
    requireSame(model!, bands.length, params);
    if (!labelFast(bands, out, model!, params)) {
      const priors = params.method === "likelihood" ? normalPriors(params.priors) : [];
      const known = { model: model!, method: params.method, priors };
      lookAtAll(bands, known, writer(out, params, bands.length));
    }
  },
};

/** Whether a method gives probabilities. */
export const isProbable = (method: Method): boolean =>
  method === "likelihood" || method === "forest";

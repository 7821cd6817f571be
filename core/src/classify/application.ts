import * as yup from "yup";
import { isRecord } from "../values";
import { type ExtraInput, areExtras } from "./extraInputs";
import { METHODS, type Method, type Model } from "./model";

/** How a model is applied to a date. */
export interface Application {
  method: Method;
  /** By class, of maximum likelihood; none of the other methods. */
  priors: number[];
  /** As the step `classify.apply` takes it. */
  reject: number | null;
  /** Those of its inputs that are no bands of the date. */
  extras: ExtraInput[];
}

/** Schema of how a model is applied. */
export const applicationSchema: yup.ObjectSchema<Application> = yup
  .object({
    method: yup.string().oneOf(METHODS).required(),
    priors: yup.array(yup.number().min(0).required()).max(254).required(),
    reject: yup.number().min(0).nullable().defined(),
    extras: yup.mixed<ExtraInput[]>(areExtras).required(),
  })
  .noUnknown();

const usualFor = ({ kind, classes }: Model): Application => ({
  ...(kind === "forest"
    ? { method: "forest", priors: [] }
    : { method: "likelihood", priors: classes.map(() => 1 / classes.length) }),
  ...{ reject: null, extras: [] },
});

/**
 * How the model of a JSON text is applied: as the text says under `applied`; where it says nothing
 * of use, as its kind usually is: maximum likelihood with classes alike, or its trees.
 */
export function applicationIn(text: string, model: Model): Application {
  const value: unknown = JSON.parse(text);
  const said: unknown = isRecord(value) ? value.applied : null;
  const fits =
    applicationSchema.isValidSync(said, { strict: true }) &&
    (said.method === "forest") === (model.kind === "forest");
  return fits ? said : usualFor(model);
}

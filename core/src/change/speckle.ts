import * as yup from "yup";

/** Speckle filters that Compare has of its own. */
export const SPECKLE = ["none", "lee", "refinedLee"] as const;

/** Schema of the filter that both dates go through. */
export const speckleSchema = yup
  .object({
    filter: yup.string().oneOf(SPECKLE).required(),
    windowCells: yup.number().oneOf([3, 5, 7, 9, 11]).required(),
    looks: yup.number().min(0.5).max(1000).required(),
  })
  .noUnknown()
  .required();

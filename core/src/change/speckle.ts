import * as yup from "yup";

/** Speckle filters that Compare has of its own. */
export const SPECKLE = ["none", "lee", "refinedLee"] as const;

/**
 * The filter that both dates go through. `blurred`: what blurs banks in Prepare stays; absent: both
 * dates are looked at as they were before it.
 */
export interface Speckle {
  filter: (typeof SPECKLE)[number];
  windowCells: number;
  looks: number;
  blurred?: boolean | null;
}

/** Whether both dates are looked at without what blurs banks in their chains. */
export const isSharp = ({ blurred }: Speckle): boolean => blurred !== true;

/** Schema of the filter that both dates go through. */
export const speckleSchema = yup
  .object({
    filter: yup.string().oneOf(SPECKLE).required(),
    windowCells: yup.number().oneOf([3, 5, 7, 9, 11]).required(),
    looks: yup.number().min(0.5).max(1000).required(),
    blurred: yup.boolean().nullable(),
  })
  .noUnknown()
  .required();

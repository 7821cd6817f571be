import type { SettingsOf } from "../step";
import { gaps } from "./gaps";
import { haze } from "./haze";
import { indices } from "./indices";
import { mask } from "./mask";
import { mosaic } from "./mosaic";
import { reflectance } from "./reflectance";
import { studyGrid } from "./studyGrid";
import { surface } from "./surface";

/** The optical chain, in order. A new step is one line here and one file beside it. */
export const OPTICAL_STEPS = [
  mask,
  gaps,
  reflectance,
  haze,
  surface,
  mosaic,
  studyGrid,
  indices,
] as const;

/** Settings of every optical step, one for all dates. */
export type OpticalChain = SettingsOf<typeof OPTICAL_STEPS>;

import type { SettingsOf } from "../step";
import { acrossDates } from "./acrossDates";
import { calibrate } from "./calibrate";
import { decibel } from "./decibel";
import { flatten } from "./flatten";
import { looks } from "./looks";
import { noise } from "./noise";
import { orbit } from "./orbit";
import { speckle } from "./speckle";
import { terrain } from "./terrain";

/** The radar chain, in order. A new step is one line here and one file beside it. */
export const RADAR_STEPS = [
  orbit,
  noise,
  calibrate,
  looks,
  speckle,
  flatten,
  terrain,
  acrossDates,
  decibel,
] as const;

/** Settings of every radar step, one for all dates. */
export type RadarChain = SettingsOf<typeof RADAR_STEPS>;

import { against } from "./against";
import { beside } from "./beside";
import { cloud } from "./cloud";
import { drainage } from "./drainage";
import { elevation } from "./elevation";
import { hidden } from "./hidden";
import { holes } from "./holes";
import { majority } from "./majority";
import { minimumPatch } from "./minimumPatch";
import { seen } from "./seen";
import { slope } from "./slope";
import { standing } from "./standing";
import { studyArea } from "./studyArea";

/**
 * Every limit, in the order in which they are applied. A new one is one line here and one file
 * beside it.
 */
export const LIMIT_PARTS = [
  seen,
  studyArea,
  cloud,
  hidden,
  elevation,
  slope,
  drainage,
  standing,
  against,
  beside,
  majority,
  holes,
  minimumPatch,
] as const;

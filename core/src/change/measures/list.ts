import { cameBack } from "./cameBack";
import { changeDirection } from "./changeDirection";
import { changeVector } from "./changeVector";
import { daysAway } from "./daysAway";
import { decibelQuotient } from "./decibelQuotient";
import { departure } from "./departure";
import { difference } from "./difference";
import { equalPower } from "./equalPower";
import { firstAway } from "./firstAway";
import { formula } from "./formula";
import { indexLoss } from "./indexLoss";
import { logRatio } from "./logRatio";
import { noChange } from "./noChange";
import { otherClass } from "./otherClass";
import { relativeChange } from "./relativeChange";
import { relativeLoss } from "./relativeLoss";
import { smallChanges } from "./smallChanges";

/** Every measure. A new one is one line here and one file beside it. */
export const MEASURE_PARTS = [
  logRatio,
  difference,
  indexLoss,
  relativeLoss,
  relativeChange,
  decibelQuotient,
  changeVector,
  changeDirection,
  noChange,
  equalPower,
  smallChanges,
  departure,
  firstAway,
  daysAway,
  cameBack,
  formula,
  otherClass,
] as const;

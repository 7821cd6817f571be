import type { RunKind } from "./kind";
import { computeScene } from "./computeScene";
import { countConfirmed } from "./countConfirmed";
import { countDoubt } from "./countDoubt";
import { countExposure } from "./countExposure";
import { countTestAreas } from "./countTestAreas";
import { drawSample } from "./drawSample";
import { fetchItems } from "./fetchItems";
import { importProduct } from "./importProduct";
import { importScene } from "./importScene";
import { joinScenes } from "./joinScenes";
import { makeFile } from "./makeFile";
import { makeImageFile } from "./makeImageFile";
import { measureAreas } from "./measureAreas";
import { measureDepth } from "./measureDepth";
import { measureSeries } from "./measureSeries";
import { prepareDates } from "./prepareDates";
import { writeChangeMap } from "./writeChangeMap";
import { writeEditedMap } from "./writeEditedMap";

/** Every kind of run there is. */
export const RUN_KINDS: Record<string, RunKind> = {
  importScene,
  importProduct,
  fetchItems,
  joinScenes,
  computeScene,
  prepareDates,
  writeChangeMap,
  writeEditedMap,
  countConfirmed,
  countDoubt,
  countExposure,
  drawSample,
  measureDepth,
  countTestAreas,
  measureAreas,
  measureSeries,
  makeFile,
  makeImageFile,
};

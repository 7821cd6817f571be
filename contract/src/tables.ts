import { accuracyRoutes } from "./accuracy";
import { againRoutes } from "./again";
import { alignRoutes } from "./align";
import { archiveRoutes } from "./archive";
import { changeMapRoutes } from "./changeMaps";
import { classifyRoutes } from "./classify";
import { compareRoutes, comparisonRoutes, seriesRoutes } from "./compare";
import { crsRoutes } from "./crs";
import { editRoutes } from "./edits";
import { exposureRoutes } from "./exposure";
import { fromToRoutes } from "./fromTo";
import { imageFileRoutes } from "./imageFiles";
import { openRoutes } from "./open";
import { pinRoutes } from "./pins";
import { prepareRoutes } from "./prepare";
import { presetRoutes } from "./presets";
import { processRoutes } from "./processes";
import { recipeRoutes } from "./recipes";
import type { AnyRoute } from "./route";
import { runRoutes } from "./runs";
import { sheetRoutes } from "./sheet";
import { nodeRoutes, sceneRoutes } from "./scenes";
import { studyRoutes } from "./studies";
import { uploadRoutes } from "./upload";
import { vectorRoutes } from "./vectors";
import { verdictRoutes } from "./verdicts";
import { watchRoutes } from "./watch";

/** Every route of the server, by what it is about. */
export const ROUTE_TABLES: Readonly<Record<string, Readonly<Record<string, AnyRoute>>>> = {
  studies: studyRoutes,
  uploads: uploadRoutes,
  scenes: sceneRoutes,
  vectors: vectorRoutes,
  archive: archiveRoutes,
  prepare: prepareRoutes,
  align: alignRoutes,
  classify: classifyRoutes,
  comparison: comparisonRoutes,
  compare: compareRoutes,
  presets: presetRoutes,
  series: seriesRoutes,
  "from–to": fromToRoutes,
  nodes: nodeRoutes,
  pins: pinRoutes,
  "change maps": changeMapRoutes,
  verdicts: verdictRoutes,
  edits: editRoutes,
  accuracy: accuracyRoutes,
  exposure: exposureRoutes,
  sheets: sheetRoutes,
  images: imageFileRoutes,
  recipes: recipeRoutes,
  "what comes by itself": watchRoutes,
  "made again": againRoutes,
  services: openRoutes,
  runs: runRoutes,
  processes: processRoutes,
  systems: crsRoutes,
};

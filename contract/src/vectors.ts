import * as yup from "yup";
import { route } from "./route";
import type { OverlayFeatures } from "./scenes";
import { ofCore, shape } from "./shapes";
import type { AreaGeometry } from "./studies";
import { fileName } from "./upload";

/** Routes that read a file of features, whose bytes are the body; nothing of it is kept. */
export const vectorRoutes = {
  /** Its polygons as one area: all that is in any of them, once. */
  area: route({
    method: "POST",
    path: "/vectors/area",
    query: shape({ name: fileName }),
    answer: ofCore<AreaGeometry>(),
  }),
  /** Its features in longitude and latitude. */
  features: route({
    method: "POST",
    path: "/vectors/features",
    query: shape({ name: fileName, layer: yup.number().integer().min(0) }),
    answer: ofCore<OverlayFeatures>(),
  }),
};

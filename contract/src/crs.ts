import type { Crs } from "@hindglance/core/geodesy/crs";
import { route } from "./route";
import { ofCore } from "./shapes";

/** Routes of coordinate systems. */
export const crsRoutes = {
  /** Definition of a coordinate system by its EPSG code, four to six digits. */
  find: route({ method: "GET", path: "/crs/:code", answer: ofCore<Crs>() }),
};

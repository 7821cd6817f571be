import * as yup from "yup";
import type { Crs } from "@hindglance/core/geodesy/crs";
import { route } from "./route";
import { ofCore, shape } from "./shapes";

/** Routes of coordinate systems. */
export const crsRoutes = {
  /**
   * Definition of a coordinate system by its EPSG code, four to six digits, with the shift to WGS 84
   * for a place in degrees, or for all of its area of use.
   */
  find: route({
    method: "GET",
    path: "/crs/:code",
    query: shape({
      lon: yup.number().min(-540).max(540),
      lat: yup.number().min(-90).max(90),
    }),
    answer: ofCore<Crs>(),
  }),
};

import type { Router } from "express";
import { crsRoutes as routes } from "@hindglance/contract/crs";
import { crsOfEpsg, crsOfEpsgAt } from "@hindglance/formats/crs/epsg";
import { AppError } from "../errors";
import { serve } from "./serve";

/** Routes of coordinate systems. */
export function crsRoutes(api: Router): void {
  serve(api, routes.find, async ({ params, query: { lon, lat } }) => {
    if (!/^\d{4,6}$/.test(params.code)) {
      throw new AppError(
        422,
        "invalid",
        "A coordinate system is named by its EPSG code, four to six digits",
        "code",
      );
    }
    return lon === undefined || lat === undefined
      ? crsOfEpsg(Number(params.code))
      : crsOfEpsgAt(Number(params.code), [lon, lat]);
  });
}

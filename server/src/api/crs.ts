import type { Router } from "express";
import { crsRoutes as routes } from "@hindglance/contract/crs";
import { crsOfEpsg } from "@hindglance/formats/crs/epsg";
import { AppError } from "../errors";
import { serve } from "./serve";

/** Routes of coordinate systems. */
export function crsRoutes(api: Router): void {
  serve(api, routes.find, async ({ params }) => {
    if (!/^\d{4,6}$/.test(params.code)) {
      throw new AppError(
        422,
        "invalid",
        "A coordinate system is named by its EPSG code, four to six digits",
        "code",
      );
    }
    return crsOfEpsg(Number(params.code));
  });
}

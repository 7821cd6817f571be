import type { Crs } from "@hindglance/core/geodesy/crs";
import type { Affine, Grid } from "@hindglance/core/grid/grid";
import { requirePlaced } from "@hindglance/formats/crs/place";
import type { OpenRaster } from "@hindglance/formats/raster/raster";
import { roundingOf } from "@hindglance/formats/raster/rounding";
import { describeScene } from "@hindglance/formats/scene/describe";
import type { RasterInspection } from "../../db/inspection";

/** Why an image with a transform beside it is not on the map. */
export const NO_SYSTEM =
  "A file beside it gives a transform, and nothing says in which coordinate system";

/** Position of an image from the files beside it. */
export interface Place {
  transform: Affine;
  crs: Crs | null;
}

/** Where the cells lie: as the files beside the image say, else as it says itself. */
function gridOf({ grid, width, height }: OpenRaster, place: Place | undefined): Grid | null {
  if (!place) {
    return grid;
  }
  const { crs, transform } = place;
  return crs && requirePlaced({ crs, transform, width, height });
}

/** Where an image lies, or what is known instead, and what has to be asked for it. */
function positionOf(
  raster: OpenRaster,
  place: Place | undefined,
): {
  found: Pick<RasterInspection, "grid" | "noPosition" | "transform" | "groundPoints">;
  missing: string[];
} {
  const grid = gridOf(raster, place);
  if (grid) {
    return { found: { grid }, missing: [] };
  }
  const transform = place?.transform ?? raster.transform ?? null;
  const noPosition = place ? NO_SYSTEM : (raster.noPosition?.message ?? "");
  const points = transform ? [] : [...(raster.groundPoints ?? [])];
  return {
    found: { grid, noPosition, transform, ...(points.length > 0 ? { groundPoints: points } : {}) },
    missing: [transform ? "crs" : "position"],
  };
}

/**
 * What an image file says. Without a position, or without the system of its coordinates, that is
 * asked for; so is whether its numbers may be rounded, where they would be.
 * @param place position from files beside it
 * @throws FormatError where the image is damaged
 */
export async function inspectRaster(
  raster: OpenRaster,
  name: string,
  place?: Place,
): Promise<RasterInspection> {
  const said = describeScene(raster, name);
  const position = positionOf(raster, place);
  const rounding = await roundingOf(raster);
  return {
    ...said,
    ...position.found,
    form: "raster",
    width: raster.width,
    height: raster.height,
    sampleType: raster.sampleType,
    nodata: raster.nodata === null ? null : String(raster.nodata),
    ...(rounding ? { rounding } : {}),
    items: raster.items,
    palette: raster.palette,
    missing: [...said.missing, ...position.missing, ...(rounding ? ["rounding"] : [])],
  };
}

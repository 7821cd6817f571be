import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { AppError } from "../errors";

/** A study area is kept as a MultiPolygon in longitude and latitude. */
export function areaFrom(value: object | null | undefined): object | null | undefined {
  if (value == null) {
    return value;
  }
  const m = multiPolygonFrom(value, "studyArea");
  for (const polygon of m) {
    for (const r of polygon) {
      for (const [x, y] of r) {
        if (Math.abs(x) > 180 || Math.abs(y) > 90) {
          throw new AppError(
            422,
            "invalid",
            `The study area has a corner at ${x}, ${y}, which is not a longitude and latitude`,
            "studyArea",
            "GeoJSON is in longitude and latitude (WGS 84).",
          );
        }
      }
    }
  }
  return { type: "MultiPolygon", coordinates: m };
}

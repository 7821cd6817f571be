import type { AreaGeometry } from "@hindglance/contract/studies";
import { messageOf } from "@hindglance/core/errors";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";

/** Reads a GeoJSON file into a study area. @throws Error with what is wrong and the file's name */
export async function areaFromFile(file: File): Promise<AreaGeometry> {
  let geometry: unknown;
  try {
    geometry = JSON.parse(await file.text());
  } catch {
    throw new Error(`${file.name} is not valid JSON. A GeoJSON file with a polygon is needed.`);
  }
  try {
    return { type: "MultiPolygon", coordinates: multiPolygonFrom(geometry) };
  } catch (error) {
    throw new Error(`${file.name}: ${messageOf(error)}`);
  }
}

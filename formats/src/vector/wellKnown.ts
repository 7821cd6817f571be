import GeoJSON from "ol/format/GeoJSON.js";
import WKB from "ol/format/WKB.js";
import WKT from "ol/format/WKT.js";
import type OlGeometry from "ol/geom/Geometry.js";
import type { Geometry } from "@hindglance/core/vector/features";
import { geometryFrom } from "./geoJson";

const binary = new WKB();
const textual = new WKT();
const json = new GeoJSON();

const geometryOf = (geometry: OlGeometry | null): Geometry | null =>
  geometry && geometryFrom(json.writeGeometryObject(geometry));

/**
 * A geometry from well-known binary (OGC, ISO with heights and measures, and the extended form).
 * @throws Error where it is none
 */
export function fromWkb(bytes: Uint8Array): Geometry | null {
  const copy = new ArrayBuffer(bytes.byteLength);
  new Uint8Array(copy).set(bytes);
  return geometryOf(binary.readGeometry(copy));
}

/**
 * A geometry from well-known text, with or without the number of its system before it (SRID=…;).
 * @throws Error where it is none
 */
export function fromWkt(text: string): { geometry: Geometry | null; epsg: number | null } {
  const [, srid, rest = ""] = /^\s*(?:SRID=(\d+);)?([\s\S]*)$/i.exec(text)!;
  return {
    geometry: geometryOf(textual.readGeometry(rest)),
    epsg: srid ? Number(srid) : null,
  };
}

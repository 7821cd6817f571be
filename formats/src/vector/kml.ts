import { kml } from "@tmcw/togeojson";
import { DOMParser } from "@xmldom/xmldom";
import { messageOf } from "@hindglance/core/errors";
import type { Feature } from "@hindglance/core/vector/features";
import { FormatError } from "../errors";
import type { FileSet } from "../zip";
import { readAll } from "../zip";
import { readGeoJson } from "./geoJson";
import { type VectorFile, type VectorLayer, stemOf } from "./layer";

/** How things are drawn in the file, which says nothing of them. */
const DRAWN = /^(style|icon|fill|stroke|label|marker|visibility|tessellate|extrude|altitudeMode)/i;

/** What the library says of links to other files and of pictures laid over the map. */
const NOT_A_PLACEMARK = "@geometry-type";

const withoutStyle = ({ geometry, properties }: Feature): Feature => ({
  geometry,
  properties: Object.fromEntries(
    Object.entries(properties).filter(
      ([field, value]) => !DRAWN.test(field) && (typeof value !== "object" || value === null),
    ),
  ),
});

/**
 * Placemarks of a KML text with their names and data; how they are drawn, overlays of pictures and
 * links to other files are left out. Its coordinates are longitude and latitude.
 *
 * @throws FormatError where it is no KML
 */
export function readKml({ name, bytes }: VectorFile): VectorLayer {
  const text = new TextDecoder().decode(bytes);
  if (/<!DOCTYPE/i.test(text)) {
    throw new FormatError("hostile", `${name} has a document type; such XML is not parsed`);
  }
  let collection: unknown;
  try {
    // A fault of the text ends the parsing; what is read of it would be half a map.
    const parser = new DOMParser({
      onError: (level, message) => {
        if (level !== "warning") {
          throw new Error(message);
        }
      },
    });
    collection = kml(parser.parseFromString(text, "text/xml"));
  } catch (error) {
    throw new FormatError("damaged", `${name} cannot be read as KML (${messageOf(error)})`);
  }
  // What the library makes is read like any other GeoJSON.
  const read = readGeoJson({ name, bytes: new TextEncoder().encode(JSON.stringify(collection)) });
  const placemarks = read.features.filter(({ properties }) => !(NOT_A_PLACEMARK in properties));
  return { name: stemOf(name), system: "lonLat", features: placemarks.map(withoutStyle) };
}

/** Bytes that the KML of a KMZ may have. */
const MOST = 200 << 20;

/** Each KML of a KMZ with what it holds itself; links among them are not followed. @throws FormatError */
export async function readKmz(set: FileSet, name: string): Promise<VectorLayer[]> {
  const inside = set.files.filter(({ path }) => /\.kml$/i.test(path));
  const layers: VectorLayer[] = [];
  for (const { path } of inside) {
    layers.push(readKml({ name: path, bytes: await readAll(set, path, MOST) }));
  }
  const [only, ...others] = layers.filter(({ features }) => features.length > 0);
  if (!only) {
    throw new FormatError("unsupported", `${name} holds no placemarks`);
  }
  return others.length === 0 ? [{ ...only, name: stemOf(name) }] : [only, ...others];
}

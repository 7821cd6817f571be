import { deserialize } from "flatgeobuf/lib/mjs/geojson.js";
import { messageOf } from "@hindglance/core/errors";
import type { Feature } from "@hindglance/core/vector/features";
import { FormatError } from "../errors";
import { readGeoJson } from "./geoJson";
import { type SaidSystem, type VectorFile, type VectorLayer, stemOf } from "./layer";

const MAGIC = [0x66, 0x67, 0x62];

/** Whether a file begins as FlatGeobuf does. */
export const looksLikeFlatGeobuf = (head: Uint8Array): boolean =>
  MAGIC.every((byte, k) => head[k] === byte);

/** What the header says of the system. */
interface Said {
  org: string | null;
  code: number;
  wkt: string | null;
}

function systemOf(crs: Said | null): SaidSystem {
  if (crs && crs.code > 0 && (!crs.org || /^epsg$/i.test(crs.org))) {
    return crs.code === 4326 ? "lonLat" : { epsg: crs.code };
  }
  return crs?.wkt ? { wkt: crs.wkt } : null;
}

/** Whole numbers of 64 bits as usual ones where they fit, else as text. */
const withoutBig = (_key: string, value: unknown): unknown => {
  if (typeof value !== "bigint") {
    return value;
  }
  return Number.isSafeInteger(Number(value)) ? Number(value) : String(value);
};

/**
 * Features of a FlatGeobuf file with the system that its header names.
 *
 * @throws FormatError where it is damaged or cut off
 */
export async function readFlatGeobuf({ name, bytes }: VectorFile): Promise<VectorLayer> {
  const features: Feature[] = [];
  const header: { crs: Said | null; count: number } = { crs: null, count: 0 };
  try {
    const found = deserialize(Uint8Array.from(bytes), {
      headerMetaFn: ({ crs, featuresCount }) => {
        header.crs = crs;
        header.count = featuresCount;
      },
    });
    for await (const feature of found) {
      const text = new TextEncoder().encode(JSON.stringify(feature, withoutBig));
      features.push(...readGeoJson({ name, bytes: text }).features);
    }
  } catch (error) {
    throw new FormatError(
      "damaged",
      `${name} cannot be read as FlatGeobuf (${messageOf(error)})`,
      "Fetch or copy the file again.",
    );
  }
  if (header.count > 0 && features.length !== header.count) {
    throw new FormatError(
      "truncated",
      `${name} is cut off: it holds ${features.length} of ${header.count} features`,
      "Fetch or copy the file again.",
    );
  }
  return { name: stemOf(name), system: systemOf(header.crs), features };
}

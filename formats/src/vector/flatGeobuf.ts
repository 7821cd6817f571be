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

/** Bytes before the header: what the file begins with, and how long the header is. */
const BEFORE = 12;

/** @throws FormatError where the header reaches past the end: reading on from there would never end */
function requireHeader({ name, bytes }: VectorFile): void {
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const length = bytes.length < BEFORE ? 0 : view.getUint32(BEFORE - 4, true);
  if (length === 0 || BEFORE + length > bytes.length) {
    throw new FormatError(
      "truncated",
      `${name} is cut off or damaged: its header is not whole`,
      "Fetch or copy the file again.",
    );
  }
}

/**
 * Features of a FlatGeobuf file with the system that its header names.
 *
 * @throws FormatError where it is damaged or cut off
 */
export async function readFlatGeobuf(file: VectorFile): Promise<VectorLayer> {
  const { name, bytes } = file;
  requireHeader(file);
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

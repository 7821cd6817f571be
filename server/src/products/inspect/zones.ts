import { messageOf } from "@hindglance/core/errors";
import { multiPolygonFrom } from "@hindglance/core/vector/polygons";
import { FormatError } from "@hindglance/formats/errors";
import { type Blob, BlobSource } from "../../db/blobs";
import type { ZonesInspection } from "../../db/inspection";
import type { Lender } from "../../db/pool";
import type { ZoneLayer } from "../../db/scenes";
import { AppError } from "../../errors";
import { featureCollectionOf } from "../zones";

const MOST_BYTES = 50 << 20;
const MOST_ZONES = 60_000;

type Features = ZoneLayer["features"]["features"];

/** The features of a GeoJSON text. @throws FormatError where there are none, or too many */
function featuresIn(bytes: Uint8Array, name: string): Features {
  let content: unknown;
  try {
    content = JSON.parse(new TextDecoder("utf-8", { fatal: true }).decode(bytes));
  } catch {
    throw new FormatError(
      "damaged",
      `${name} is not valid JSON`,
      "A GeoJSON FeatureCollection of polygons is needed.",
    );
  }
  const features = featureCollectionOf(content)?.features;
  if (!features) {
    throw new FormatError(
      "unsupported",
      `${name} holds no GeoJSON polygons`,
      "Save the zones as a FeatureCollection of polygons.",
    );
  }
  if (features.length === 0 || features.length > MOST_ZONES) {
    throw new FormatError(
      "unsupported",
      `${name} holds ${features.length} zones; 1 to 60 000 can be used`,
    );
  }
  return features;
}

/** @throws FormatError naming the first zone that is no polygon on the globe */
function requirePolygons(features: Features, name: string): void {
  features.forEach(({ geometry }, k) => {
    try {
      multiPolygonFrom(geometry, "geometry");
    } catch (error) {
      throw new FormatError(
        "unsupported",
        `Zone ${k + 1} of ${name}: ${messageOf(error)}`,
        "Zones are polygons in longitude and latitude.",
      );
    }
  });
}

/** Properties that every zone has as a text or a number. */
function commonFields(features: Features): string[] {
  const counts = new Map<string, number>();
  for (const [field, value] of features.flatMap(({ properties }) =>
    Object.entries(properties ?? {}),
  )) {
    if (typeof value === "string" || typeof value === "number") {
      counts.set(field, (counts.get(field) ?? 0) + 1);
    }
  }
  return [...counts].filter(([, count]) => count === features.length).map(([field]) => field);
}

/**
 * What polygons in a GeoJSON file say.
 * @throws AppError 413 where the file is larger than 50 MB
 * @throws FormatError where it cannot be used as zones
 */
export async function inspectZones(db: Lender, blob: Blob): Promise<ZonesInspection> {
  if (blob.size > MOST_BYTES) {
    throw new AppError(
      413,
      "tooLarge",
      `${blob.name} is larger than 50 MB, the most that a zone file can be`,
      "file",
      "Simplify the zones first.",
    );
  }
  const bytes = await new BlobSource(db, blob.id, blob.size).read(0, blob.size);
  const features = featuresIn(bytes, blob.name);
  requirePolygons(features, blob.name);
  const nameFields = commonFields(features);
  return {
    form: "zones",
    zones: features.length,
    nameFields,
    nameField: nameFields.find((field) => /name|title|label/i.test(field)) ?? nameFields[0] ?? null,
  };
}

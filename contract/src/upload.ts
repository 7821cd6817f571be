import type { BandInfo } from "@hindglance/core/graph/image";

/** What a file turned out to be. */
export type UploadForm = "raster" | "stack" | "zones" | "product" | "orbit";

/** What was found in a file, by what it is; what does not apply is absent. */
export interface UploadDetail {
  form: UploadForm;
  /** What the file does not say and a person must. */
  missing?: string[];
  kind?: string | null;
  acquiredAt?: string | null;
  bands?: BandInfo[];
  noPosition?: string;
  nodata?: string | null;
  /** Bands by cell size, where an optical scene has several. */
  groups?: { cellM: number; bands: string[] }[];
  product?: string;
  name?: string;
  mission?: string;
  pass?: string;
  mode?: string;
  start?: string;
  polarisations?: { name: string; bytes: number }[];
  lines?: number;
  samples?: number;
  warnings?: string[];
  orbitKind?: string;
  /** Names of the scenes that an orbit file serves. */
  scenes?: string[];
  width?: number;
  height?: number;
  sampleType?: string;
  /** Number of polygons, properties that all of them have, and the one that looks like a name. */
  zones?: number;
  nameFields?: string[];
  nameField?: string | null;
}

/** A file that has arrived and is no scene yet. `detail`: null while it is being looked at. */
export interface Upload {
  id: string;
  name: string;
  size: number;
  createdAt: string;
  detail: UploadDetail | null;
}

/** Whether a file says all that is needed, so that nobody has to be asked. */
export function saysEverything(detail: UploadDetail): boolean {
  const nothingMissing = (detail.missing ?? []).length === 0;
  switch (detail.form) {
    case "product":
    case "orbit":
      return true;
    case "stack":
      return nothingMissing;
    case "zones":
      // A single polygon may be the study area, which only a person knows.
      return !!detail.nameField && (detail.zones ?? 0) > 1;
    default:
      return (
        nothingMissing &&
        (detail.kind !== "radar" || (detail.bands ?? []).every((band) => band.polarisation))
      );
  }
}

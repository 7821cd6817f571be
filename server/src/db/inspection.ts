import type { FoundLayer } from "@hindglance/contract/upload";
import type { SceneDescription } from "@hindglance/formats/scene/describe";
import type { Granule } from "@hindglance/formats/optical/granule";
import type { StackBand } from "@hindglance/formats/optical/stack";
import type { GroundPoint } from "@hindglance/core/align/groundPoint";
import type { Stated } from "@hindglance/formats/raster/stated";
import type { Rounding } from "@hindglance/formats/raster/rounding";
import type { SafeProduct } from "@hindglance/formats/product/safe";
import type { Affine, Grid } from "@hindglance/core/grid/grid";

/**
 * The uploaded bytes of a product: one archive (`zip`, which may be a tar as well), or the files of a
 * folder with their paths.
 */
export interface UploadedFiles {
  zip: boolean;
  /** The folder of the archive that counts; absent: all of it. */
  within?: string;
  /** `sha256`: of each by itself; absent where nobody looked at several together. */
  blobs: { id: string; path: string; size: number; sha256?: string | null }[];
}

/** What an image file says of itself. Without a position, `grid` is null. */
export interface RasterInspection extends Omit<SceneDescription, "missing"> {
  form: "raster";
  width: number;
  height: number;
  sampleType: string;
  /** As text, since JSON has no NaN. */
  nodata: string | null;
  grid: Grid | null;
  /** Why it has no position. */
  noPosition?: string;
  /** From cells to coordinates of a system that is not known. */
  transform?: Affine | null;
  items: Record<string, string>;
  palette: string[] | null;
  /** Places of it that are known on the ground, where it has no grid. */
  groundPoints?: GroundPoint[];
  /** A number of it that would be rounded. */
  rounding?: Rounding;
  /** The file beside it that says which cells are valid. */
  mask?: { blobId: string; name: string };
  /** What a file beside it says of its numbers, and the image itself does not. */
  stated?: Stated;
  /** Texts beside it that were read, and go with the upload. */
  beside?: { name: string; sha256: string; size: number; blobId?: string }[];
  missing: string[];
}

/** What the band files of an optical scene say together. */
export interface StackInspection extends Omit<Granule, "bands" | "baseline"> {
  form: "stack";
  kind: "optical";
  /** Whether it is a granule of one file a band. */
  granule?: true;
  baseline?: string | null;
  files: UploadedFiles;
  stack: StackBand[];
  /** Bands by cell size. */
  groups: { cellM: number; bands: string[] }[];
  missing: string[];
}

/** What a radar product says; its tables are read again when it is imported. */
export interface ProductInspection extends Omit<SafeProduct, "sensor" | "luts"> {
  form: "product";
  kind: "radar";
  files: UploadedFiles;
  lines: number;
  samples: number;
  acquiredAt: string;
}

/** What was said by an orbit file, which is taken in at once. */
export interface OrbitInspection {
  form: "orbit";
  orbitId: string;
  mission: string;
  orbitKind: string;
  from: string;
  to: string;
  /** Names of the scenes that it serves. */
  scenes: string[];
}

/** What the features of a file say; they are read again when they are used. */
export interface VectorsInspection {
  form: "vectors";
  /** Of the file, or of the one that names the parts of a Shapefile. */
  name: string;
  files: UploadedFiles;
  layers: FoundLayer[];
}

/** What was found in an uploaded file. */
export type Inspection =
  RasterInspection | StackInspection | ProductInspection | OrbitInspection | VectorsInspection;

/** The item of an archive that a file was fetched from. */
export interface FromArchive {
  collection: string;
  id: string;
  title: string;
  from: string;
}

/** What is kept of a file beside its bytes; `form` is absent where nobody looked into it. */
export type BlobDetail = (Inspection | { form?: undefined }) & { archive?: FromArchive };

/**
 * Ids of files that belong to an upload in which this was found: all of a folder, the one that stands
 * for them among them; of an image what lies beside it alone. None where nobody looked into it.
 */
export function filesOf(detail: BlobDetail | null): string[] {
  switch (detail?.form) {
    case "raster":
      return [detail.mask, ...(detail.beside ?? [])].flatMap((file) => file?.blobId ?? []);
    case "stack":
    case "product":
    case "vectors":
      return detail.files.blobs.map(({ id }) => id);
    default:
      return [];
  }
}

import type { OverlayFeatures } from "@hindglance/contract/scenes";
import type { AreaGeometry } from "@hindglance/contract/studies";
import type { FoundLayer } from "@hindglance/contract/upload";

/** Files of features, whole in memory: one, the parts of a Shapefile, or an archive of them. */
export interface VectorFiles {
  /** Of the file, or of the one that names the parts of a Shapefile. */
  name: string;
  files: { name: string; bytes: Uint8Array }[];
}

/** What features are for. */
export type VectorUse = "zones" | "area" | "overlay";

/** Features of one layer as they are meant. */
export interface Meant extends VectorFiles {
  as: VectorUse;
  layer: number;
  /** The system that a person gives. */
  epsg?: number;
  /** Faults may be mended. */
  repair?: boolean;
}

/** Features that can be kept. */
export interface UsableFeatures {
  /** A collection of them in longitude and latitude, as the text of its JSON. */
  json: Uint8Array;
  count: number;
  /** Properties that any of them has. */
  fields: string[];
  /** How many were mended. */
  mended: number;
  /** What is in any of them, where they are a study area. */
  area: AreaGeometry | null;
}

/** What can be asked of files of features, and what comes back. */
export interface VectorWork {
  /** What each layer says, and what is wrong with it. */
  look: { task: VectorFiles; result: FoundLayer[] };
  use: { task: Meant; result: UsableFeatures };
  /** A file that says everything as one area. */
  area: { task: VectorFiles; result: AreaGeometry };
  /** Features of a file that says everything. */
  features: { task: VectorFiles & { layer?: number }; result: OverlayFeatures };
}
export type VectorKind = keyof VectorWork;

/** What reads files of features. */
export interface VectorReader {
  /**
   * @param prepare gives the task once its turn has come: files are held in memory one task at a time
   * @throws AppError, FormatError, InputError with what is wrong with the files
   */
  run<K extends VectorKind>(
    kind: K,
    prepare: () => Promise<VectorWork[K]["task"]>,
  ): Promise<VectorWork[K]["result"]>;
}

/** What does each kind of task. */
export type VectorPerformers = {
  [K in VectorKind]: (task: VectorWork[K]["task"]) => Promise<VectorWork[K]["result"]>;
};

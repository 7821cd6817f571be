import type { Feature } from "@hindglance/core/vector/features";

/**
 * The system of a layer's coordinates as its file names it: longitude and latitude on WGS 84, an
 * EPSG code, or well-known text; null where the file does not say.
 */
export type SaidSystem = "lonLat" | { epsg: number } | { wkt: string } | null;

/** Features of a file that belong together, as they stand there. */
export interface VectorLayer {
  name: string;
  system: SaidSystem;
  features: Feature[];
}

/** Files that a layer is read from, by their names. */
export interface VectorFile {
  name: string;
  bytes: Uint8Array;
}

/** Name of a file without its folders and its ending. */
export const stemOf = (name: string): string =>
  name.replace(/^.*[/\\]/, "").replace(/\.(shp\.)?\w+$/, "");

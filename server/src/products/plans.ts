import type { SaidAtImport } from "@hindglance/contract/scenes";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { Stated } from "@hindglance/formats/raster/stated";
import type { UploadedFiles } from "../db/inspection";

/** Begins a run of a kind; gives its id. */
export type Submit = (r: {
  studyId: string | null;
  kind: string;
  title: string;
  params: object;
}) => Promise<string>;

/** One file of a scene. */
export interface ImportTile {
  /** The file; empty where it is entry number `entry` of an archive that the run unpacks. */
  blobId: string;
  entry?: number;
  /** Where its first cell lies in the scene's grid; may lie outside. */
  col: number;
  row: number;
  /** The band of the scene that the file's first band is, where files hold a band each. */
  band?: number;
  /**
   * Cells of the scene along one cell of the file: 2 repeats each cell twice, ½ takes the mean of
   * two by two.
   */
  scale?: number;
  /** The mask beside the file: its cells are not valid where those are 0. */
  mask?: { blobId: string; name: string };
  /** What a text beside the file says of its numbers. */
  stated?: Stated;
  /** Numbers are classes of a scene classification and become quality bits. */
  classes?: boolean;
}
/**
 * `tiles`: where two overlap the first one with a valid cell counts. `rescale`: what the numbers of
 * a file stand for, where the file does not say.
 */
export interface ImportParams {
  sceneId: string;
  tiles: ImportTile[];
  imageId: string;
  info: ImageInfo;
  fileName: string;
  leftOut: string | null;
  /**
   * Files that came along and are not read: texts beside images, bands that were left out.
   */
  spare?: string[];
  unpack?: { files: UploadedFiles; entries: Entry[] };
  rescale?: Rescale | null;
  /** What a person said of the scene. */
  answers?: SaidAtImport;
}
/** value = number · scale + offset, and nodata where the number is `fill`. */
export interface Rescale {
  scale: number;
  offset: number;
  fill: number | null;
}

/** One file of an archive that a run unpacks. */
export interface Entry {
  path: string;
  bytes: number;
}

/** What a run that joins scenes is told. */
export interface JoinParams {
  sceneId: string;
  imageId: string;
  info: ImageInfo;
  name: string;
  parts: {
    sceneId: string;
    sceneName: string;
    imageId: string;
    info: ImageInfo;
    col: number;
    row: number;
  }[];
}

/** What a run that computes a node as a scene of its own is told. */
export interface ComputeParams {
  sceneId: string;
  imageId: string;
  info: ImageInfo;
  name: string;
  node: NodeSpec;
  what: string;
}

/** One result to be computed and kept: a scene's chain up to a step. */
export interface PrepareItem {
  sceneId: string;
  sceneName: string;
  step: string;
  steps: Record<string, string>;
  hash: string;
  node: NodeSpec;
  info: ImageInfo;
  imageId: string;
}
/** What a run that prepares dates is told. */
export interface PrepareParams {
  items: PrepareItem[];
}

/**
 * Items of one step do not wait for each other: they share their phases. Groups follow one another,
 * so that a later one may read what an earlier one gave.
 */
export function groupsOf<
  T extends { step: string; info: { grid: { width: number; height: number } } },
>(items: readonly T[]): T[][] {
  const out: T[][] = [];
  const kind = (i: T) => `${i.step} ${i.info.grid.width} ${i.info.grid.height}`;
  for (const i of items) {
    if (out.length && kind(out.at(-1)![0]!) === kind(i)) {
      out.at(-1)!.push(i);
    } else {
      out.push([i]);
    }
  }
  return out;
}

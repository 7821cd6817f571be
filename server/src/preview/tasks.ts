import type { LevelFit } from "@hindglance/core/align/levelling";
import type { OffsetResult } from "@hindglance/core/align/offset";
import type { FirstMap } from "@hindglance/core/change/firstMap/firstMap";
import type { FirstMapAsk } from "@hindglance/core/change/firstMap/sampling";
import type { Grown } from "@hindglance/core/classify/growArea";
import type { GroundPatches } from "@hindglance/core/cover/groundPatches";
import type { CoverPaths, PathClass } from "@hindglance/core/cover/paths";
import type { TileThreshold } from "@hindglance/core/change/bimodal";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { StepReport } from "@hindglance/core/graph/step";
import type { Window } from "@hindglance/core/grid/grid";
import type { NormalBand } from "@hindglance/core/normal/band";
import type { WebTile } from "@hindglance/core/grid/webTiles";
import type { MapSide, PictureMark } from "@hindglance/core/sheet/marks";
import type { Histogram } from "@hindglance/core/raster/histogram";
import type { Pixels, SheetImages } from "../sheet/pictures";
import type { Mark } from "./mark";
import type { LevelTask, OffsetTask } from "./alignTasks";
import type { GroupFacts, GroupsTask } from "./groupTasks";
import type { JudgeTask, TrainResult, TrainTask } from "./trainTask";

export interface TileTask {
  kind: "tile";
  node: NodeSpec;
  level: number;
  row: number;
  col: number;
  bands: number[] | null;
}
export interface HistogramTask {
  kind: "histograms";
  node: NodeSpec;
  /** By band, of the first bands. */
  ranges: [number, number][];
  bins: number;
  maxCells: number;
}
export interface FieldTask {
  kind: "field";
  node: NodeSpec;
  window: Window | null;
  band: number;
}
/**
 * Figures of a field: the mean of power in dB where the band is in decibels, else of the values;
 * looks are mean²/variance of power.
 */
export interface FieldResult {
  cells: number;
  mean: number;
  deviation: number;
  looks: number | null;
  unit: string;
  histogram: Histogram;
  sampled: boolean;
}
/**
 * Places in the coordinates of the node's grid; the value of each is the mean of size x size cells
 * around it.
 */
export interface ValuesTask {
  kind: "values";
  node: NodeSpec;
  places: [number, number][];
  sizeCells: number;
}
/**
 * By place: by band the mean (of power, given in decibels, where the band is power or decibels), or
 * the label of classes; null where there is none.
 */
export type ValuesResult = (number | null)[][];
/** What is normal at a place, by dates of one grid: the mean of size x size cells around it. */
export interface NormalTask {
  kind: "normal";
  /** Dates that are normal, a band each. */
  nodes: NodeSpec[];
  /** In the coordinates of their grid. */
  place: [number, number];
  sizeCells: number;
  /** Deviations that the ends of the band lie away. */
  beyond: number;
}
/** Counting of a class image, at full resolution. */
export interface LabelsTask {
  kind: "labels";
  node: NodeSpec;
  /** Cells that are looked at, at the most: whole blocks spread evenly. */
  maxCells: number;
}
export interface LabelsResult {
  /** By label. */
  counts: number[];
  /** Cells that were looked at, and those that there are. */
  cells: number;
  cellsOfImage: number;
}
/** Connected pieces of one label of a class image. */
export interface PatchesTask {
  kind: "patches";
  node: NodeSpec;
  label: number;
}
/** Ground by what it was, date after date. */
export interface PathsTask {
  kind: "paths";
  dates: NodeSpec[];
  mask: NodeSpec | null;
  classes: PathClass[];
}
/** Ground around a place of an image by how unlike it is. */
export interface GrowTask {
  kind: "grow";
  image: NodeSpec;
  /** In the coordinates of its grid. */
  at: [number, number];
}
export interface FirstMapTask {
  kind: "firstMap";
  ask: FirstMapAsk;
}
export interface ReportTask {
  kind: "report";
  node: NodeSpec;
}
/** A picture of the sheet of a map. */
export interface SheetPictureTask {
  kind: "sheetPicture";
  images: SheetImages;
  picture: PictureMark;
  pixels: Pixels;
}
/** A tile of the picture of a map. */
export interface WebTileTask {
  kind: "webTile";
  images: SheetImages;
  side: MapSide;
  tile: WebTile;
}
export interface TileResult {
  type: ImageInfo["type"];
  bytes: Uint8Array;
}
export interface HistogramResult {
  histograms: Histogram[];
  /** By band, of two halves of the cells. */
  halves: [Histogram, Histogram][];
  /** Thresholds that tiles with two heaps have in common, by band. */
  tiles: (TileThreshold | null)[];
  cells: number;
  cellsOfImage: number;
}

/** What a preview thread can be asked, and what it gives. */
export interface Previews {
  tile: { task: TileTask; result: TileResult };
  histograms: { task: HistogramTask; result: HistogramResult };
  field: { task: FieldTask; result: FieldResult };
  values: { task: ValuesTask; result: ValuesResult };
  /** Null outside the image, and where too few dates are seen. */
  normal: { task: NormalTask; result: NormalBand | null };
  report: { task: ReportTask; result: StepReport | null };
  offset: { task: OffsetTask; result: OffsetResult };
  level: { task: LevelTask; result: LevelFit };
  groups: { task: GroupsTask; result: GroupFacts };
  firstMap: { task: FirstMapTask; result: FirstMap };
  labels: { task: LabelsTask; result: LabelsResult };
  patches: { task: PatchesTask; result: GroundPatches };
  paths: { task: PathsTask; result: CoverPaths };
  grow: { task: GrowTask; result: Grown };
  judge: { task: JudgeTask; result: TrainResult };
  train: { task: TrainTask; result: TrainResult };
  /** As PNG. */
  sheetPicture: { task: SheetPictureTask; result: Uint8Array };
  webTile: { task: WebTileTask; result: Uint8Array };
}
export type PreviewKind = keyof Previews;
export type PreviewTask = Previews[PreviewKind]["task"] & { mark: Mark };
/** Who does each kind of task. */
export type Performers = {
  [K in PreviewKind]: (task: Previews[K]["task"]) => Promise<Previews[K]["result"]>;
};
/** What a task is told, without its kind. */
export type Told<K extends PreviewKind> = Omit<Previews[K]["task"], "kind">;

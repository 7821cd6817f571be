import type { Comparison } from "@hindglance/contract/comparison";
import type { Alignment } from "@hindglance/core/align/alignment";
import type { Chain, Family } from "@hindglance/core/chain/family";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { ClassRule } from "@hindglance/core/change/rules";
import type { NodeSpec } from "@hindglance/core/graph/node";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { Histogram } from "@hindglance/core/raster/histogram";
import type { Statistics } from "@hindglance/core/raster/statistics";
import type { TallyData } from "@hindglance/core/tally/tally";
import type { Comparing } from "@hindglance/core/change/comparing";
import type { Measure } from "@hindglance/core/change/measures/all";
import type { Limits } from "@hindglance/core/change/limits/all";

export type {
  CompareAreas,
  CompareNodes,
  Comparison,
  ComparisonView,
  NodeView,
  OneComparison,
  SceneKind,
} from "@hindglance/contract/comparison";
export type { Upload, UploadDetail } from "@hindglance/contract/upload";

export interface AreaGeometry {
  type: "MultiPolygon";
  coordinates: [number, number][][][];
}
export interface Study {
  id: string;
  name: string;
  hazard: string;
  eventAt: string | null;
  studyArea: AreaGeometry | null;
  compare: Comparison | null;
  align: Record<string, Alignment> | null;
  /** Raised by every change of what the study is set to. */
  version: number;
  createdAt: string;
  updatedAt: string;
  scenes?: number;
  changeMaps?: number;
}
export interface Scene {
  id: string;
  studyId: string;
  kind: string;
  name: string;
  acquiredAt: string | null;
  fileName: string;
  fileSize: number;
  fileSha256: string;
  detail: {
    sensor?: string;
    level?: number;
    sunElevationDeg?: number | null;
    sunAzimuthDeg?: number | null;
    cloudCoverPercent?: number | null;
    bandFiles?: { band: string; file: string; cellM?: number }[];
    width?: number;
    height?: number;
    sampleType?: string;
    nodata?: string | null;
    items?: Record<string, string>;
    form?: string;
    product?: string;
    mission?: string;
    mode?: string;
    pass?: string;
    look?: string;
    start?: string;
    stop?: string;
    polarisations?: string[];
    incidenceDeg?: [number, number] | null;
    lines?: number;
    samples?: number;
    sampleSpacingM?: number;
    lineSpacingM?: number;
    leftOut?: string | null;
    warnings?: string[];
    absoluteOrbit?: number | null;
  };
  imageId: string | null;
  runId: string | null;
  info: ImageInfo | null;
  levels: number | null;
  statistics: Statistics[] | null;
  histograms: Histogram[] | null;
  looks: (number | null)[] | null;
  footprint: [number, number][] | null;
}
/** What a radar scene is compared as. */
export interface Side {
  sceneId: string;
  family: Family | null;
  node: NodeSpec | null;
  hash: string | null;
  info: ImageInfo | null;
  /** Where its quality band says cloud. */ cloud: { node: NodeSpec; info: ImageInfo } | null;
  looks: number | null;
  problem: string | null;
}
export interface ZoneLayer {
  id: string;
  name: string;
  fileName: string;
  nameField: string;
  features: { features: { properties: Record<string, unknown>; geometry: object }[] };
}
export interface CompareHistograms {
  before: Histogram;
  after: Histogram;
  measure: Histogram;
  /** Thresholds that tiles with two heaps have in common. */ tiles: Record<
    "before" | "after" | "measure",
    { value: number; found: number; tiles: number } | null
  >;
  cells: number;
  sampled: boolean;
}
export interface GroupFacts {
  bands: { name: string; unit: string; wavelengthNm: number | null }[];
  groups: {
    group: number;
    color: string;
    share: number;
    before: (number | null)[];
    after: (number | null)[];
  }[];
  cells: number;
}
export interface SavedPreset {
  id: string;
  name: string;
  comparing: Comparing;
  unit: string;
  measure: Measure;
  formula: string | null;
  rules: ClassRule[];
  limits: Limits;
}
export interface PatchRow {
  number: number;
  label: number;
  cells: number;
  areaM2: number;
  perimeterM: number | null;
  measure: number | null;
  elevation: number | null;
  west: number;
  south: number;
  east: number;
  north: number;
}
export interface Run {
  id: string;
  studyId: string | null;
  kind: string;
  title: string;
  state: "running" | "done" | "failed" | "cancelled";
  progress: number;
  doing: string;
  error: { code: string; message: string; hint?: string } | null;
  result: Record<string, string> | null;
  createdAt: string;
  finishedAt: string | null;
}
export interface TallyRow {
  zone: string | null;
  label: number;
  name: string;
  color: string;
  cells: number;
  areaM2: number;
  sharePercent: number;
}
export interface SceneRecord {
  name: string;
  file: string;
  sha256: string;
  acquiredAt: string | null;
  band?: string;
}
export interface Provenance {
  study: string;
  event: string | null;
  program: string;
  writtenAt: string;
  nodeHash: string;
  before: SceneRecord;
  after: SceneRecord;
  elevation: SceneRecord | null;
  zones: { name: string; file: string; sha256: string; names: string[] } | null;
  studyAreaSha256: string | null;
  grid: string;
  unit?: string;
  setup: ChangeSetup;
  scenes?: { beforeId: string; afterId: string };
  cover?: SceneRecord;
  prepared?: { before: PreparedSide | null; after: PreparedSide | null };
}
export interface PreparedSide {
  chain: Chain;
  orbit: { file: string; sha256: string; kind: string } | null;
}
export interface MadeFile {
  id: string;
  name: string;
  size: number;
  format: string;
}
export interface ChangeMap {
  id: string;
  studyId: string;
  name: string;
  nodeHash: string;
  setup: ChangeSetup;
  provenance: Provenance;
  tally: TallyData;
  patchCount: number;
  createdAt: string;
  info: ImageInfo;
  rows: TallyRow[];
  files: MadeFile[];
}
export interface LedgerEntry {
  id: number;
  at: string;
  what: string;
  detail: Record<string, unknown>;
}

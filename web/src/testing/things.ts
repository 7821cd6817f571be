import type { FoundLayer } from "@hindglance/contract/upload";
import type { NodeView } from "@hindglance/contract/nodes";
import { LONLAT } from "@hindglance/core/geodesy/crs";
import type { BandInfo, ImageInfo } from "@hindglance/core/graph/image";
import { emptySetup } from "@hindglance/core/change/defaults";
import { addToHistogram, emptyHistogram } from "@hindglance/core/raster/histogram";
import type { SensorModel } from "@hindglance/core/radar/sensor";
import type { Found } from "../scenes/archive/archive";
import type { Field } from "../prepare/useFields";
import type { ArrivingFile, ChangeMap, Run, Scene, Study, Upload } from "../api/types";

/** An identity that ends in a digit. */
export const idOf = (digit: number) => `0a000000-0000-4000-8000-00000000000${digit}`;

/** A study with nothing set, and what a test gives it. */
export const aStudy = (more: Partial<Study> = {}): Study => ({
  id: "0a000000-0000-4000-8000-0000000000aa",
  name: "Vell",
  hazard: "flood",
  eventAt: null,
  studyArea: null,
  compare: null,
  chain: null,
  opticalChain: null,
  align: null,
  version: 1,
  createdAt: "2025-05-01T00:00:00Z",
  updatedAt: "2025-05-01T00:00:00Z",
  ...more,
});

/** A scene whose image is not stored yet, and what a test gives it. */
export const aScene = (more: Partial<Scene> = {}): Scene => ({
  id: "0a000000-0000-4000-8000-000000000001",
  studyId: "0a000000-0000-4000-8000-0000000000aa",
  kind: "radar",
  name: "Scene",
  acquiredAt: null,
  fileName: "",
  fileSize: 0,
  fileSha256: "",
  detail: {},
  imageId: null,
  runId: null,
  createdAt: "2025-05-01T00:00:00Z",
  info: null,
  levels: null,
  statistics: null,
  histograms: null,
  looks: null,
  footprint: null,
  ...more,
});

/** A band of values, and what a test gives it. */
export const aBand = (more: Partial<BandInfo> = {}): BandInfo => ({
  name: "VV",
  unit: "",
  role: "power",
  ...more,
});

/** An image of 10 by 10 cells of a hundredth of a degree, and what a test gives it. */
export const anImage = (more: Partial<ImageInfo> = {}): ImageInfo => ({
  grid: { crs: LONLAT, transform: [20, 0.01, 0, -30, 0, -0.01], width: 10, height: 10 },
  type: "float32",
  bands: [aBand()],
  ...more,
});

/** A node of an image, and what a test gives it; its hash is a letter many times. */
export const aNode = (letter: string, info: ImageInfo = anImage()): NodeView => ({
  hash: letter.repeat(64),
  info,
  levels: 1,
  block: 512,
});

const CLASSES = [
  { label: 0, name: "No change", color: "#d8d3c6" },
  { label: 1, name: "New water", color: "#c8246f" },
  { label: 2, name: "Standing water", color: "#33498c" },
];

/** How the patches of a map stand of which nobody said anything. */
export const NOTHING_SAID = { areas: [], zonesKnown: true, reviewers: [], agreement: [] };

/** Square kilometres of the three classes in two zones. */
const AREAS: Record<string, number[]> = { Lowfen: [3, 3, 0], Tolm: [3, 0, 1] };

const rowsOf = (zone: string | null, km2: readonly number[]) =>
  CLASSES.map((one, k) => ({
    ...one,
    zone,
    areaM2: km2[k]! * 1e6,
    cells: km2[k]! * 100,
    sharePercent: km2[k]! * 10,
  }));

const record = (side: "before" | "after", digit: string) => ({
  name: `LANTERN1, ${side}`,
  file: `${side}.zip`,
  sha256: digit.repeat(64),
  acquiredAt: side === "before" ? "2025-05-02T18:41:00Z" : "2025-05-14T18:41:00Z",
  band: "VV",
  size: 1000,
});

/** Of a patch whose doubt is not counted, and that nobody edited. */
export const NOT_DOUBTED = {
  certainty: null,
  edgeShare: null,
  earlierAlike: 0,
  earlierSeen: 0,
  laterAlike: 0,
  laterSeen: 0,
  level: null,
  spread: null,
  depth: null,
  seenShare: null,
  confirmedShare: null,
  edited: false,
};

/** A map of two classes in two zones and 10 km², and what a test gives it. */
export function aChangeMap(more: Partial<ChangeMap> = {}): ChangeMap {
  const setup = emptySetup({ looks: 4.4, hasStudyArea: true, hasElevation: true });
  return {
    id: "m1",
    studyId: "s1",
    name: "First look",
    imageId: "i1",
    nodeHash: "h1",
    doubt: null,
    depth: null,
    confirmed: null,
    edited: null,
    patchImageId: null,
    rowsBefore: [],
    setup,
    provenance: {
      study: "Vell",
      event: null,
      program: "Hind Glance",
      writtenAt: "2025-05-15T08:00:00Z",
      nodeHash: "h1",
      before: record("before", "1"),
      after: record("after", "2"),
      elevation: null,
      zones: null,
      studyAreaSha256: "3".repeat(64),
      grid: "EPSG:32727, 10 x 10 cells",
      unit: "dB",
      setup,
    },
    tally: { zones: 3, entries: [] },
    patchCount: 22,
    createdAt: "2025-05-15T08:00:00Z",
    info: anImage({ type: "class8", classes: CLASSES.slice(1) }),
    rows: [
      ...Object.entries(AREAS).flatMap(([zone, km2]) => rowsOf(zone, km2)),
      ...rowsOf(null, [6, 3, 1]),
    ],
    files: [],
    ...more,
  };
}

/** A layer of one polygon with a name. */
export const aLayer = (more: Partial<FoundLayer> = {}): FoundLayer => ({
  name: "zones",
  features: 1,
  points: 0,
  lines: 0,
  polygons: 1,
  nameFields: ["name"],
  nameField: "name",
  system: "WGS 84",
  noSystem: null,
  faults: [],
  faulty: 0,
  withHeights: 0,
  refused: null,
  taken: false,
  ...more,
});

/** A file of 10 bytes that arrived and was not looked at yet. */
export const anUpload = (more: Partial<Upload> = {}): Upload => ({
  id: "u1",
  name: "file.tif",
  size: 10,
  sha256: "a".repeat(64),
  createdAt: new Date().toISOString(),
  detail: null,
  ...more,
});

/** A file of 1000 bytes of which 400 have arrived. */
export const anArriving = (more: Partial<ArrivingFile> = {}): ArrivingFile => {
  const { id = "u9", name = "map.tif", length = 1000, size = 400 } = more;
  return {
    ...{ id, name, length, size },
    folder: false,
    files: 1,
    touchedAt: new Date().toISOString(),
    state: "coming",
    refused: null,
    parts: [{ id, path: name, length, size, modified: 77 }],
    ...more,
  };
};

/** A run half way, and what a test gives it. */
export const aRun = (more: Partial<Run> = {}): Run => ({
  id: "r1",
  studyId: "0a000000-0000-4000-8000-0000000000aa",
  kind: "importScene",
  title: "Import",
  state: "running",
  phase: 0,
  phases: [{ name: "Reading", weight: 1 }],
  progress: 0.5,
  doing: "Reading",
  error: null,
  result: null,
  createdAt: "2025-05-01T00:00:00Z",
  finishedAt: null,
  ...more,
});

/** Figures of a thousand cells from 0 to 1, and what a test gives them. */
export function aField(more: Partial<Field> = {}): Field {
  const histogram = emptyHistogram(0, 1, 100);
  addToHistogram(
    histogram,
    Float32Array.from({ length: 1000 }, (_v, k) => (k + 0.5) / 1000),
  );
  return {
    ...{ mean: 0.5, deviation: 0.29, looks: 3, cells: 1000, sampled: false, unit: "" },
    histogram,
    ...more,
  };
}

/** A radar product that the archive has, and what a test gives it. */
export const anItem = (id: string, more: Partial<Found> = {}): Found => ({
  id,
  collection: "grd",
  kind: "radar",
  title: `Product ${id}`,
  from: "2025-05-02T18:41:00Z",
  to: "2025-05-02T18:41:30Z",
  footprint: null,
  pass: "descending",
  polarisations: ["VV", "VH"],
  mode: "IW",
  platform: "lantern-1",
  bytes: 5e6,
  picture: false,
  have: false,
  ...more,
});

/** A sensor that flew nowhere, and what a test gives it. */
export const aSensor = (more: Partial<SensorModel> = {}): SensorModel => ({
  ...{ mission: "LN1", mode: "IW", pass: "descending", look: "right" },
  ...{ wavelengthM: 0.055, orbit: [], orbitSource: "annotation", firstLineT: 0 },
  ...{ lineIntervalS: 0.002, sampleSpacingM: 10, lineSpacingM: 10, groundRange: [] },
  ...{ lines: 10, samples: 10 },
  ...more,
});

import type { Scene, Study } from "../api/types";

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

/** Shapes that the server sends, as the contract tells them. */
export type {
  CompareAreas,
  CompareNodes,
  Comparison,
  ComparisonView,
  OneComparison,
  SceneKind,
} from "@hindglance/contract/comparison";
export type { CompareHistograms, GroupFacts, Side } from "@hindglance/contract/compare";
export type {
  ChangeMap,
  MadeFile,
  PatchRow,
  PreparedSide,
  Provenance,
  SceneRecord,
  TallyRow,
} from "@hindglance/contract/changeMaps";
export type { NodeView } from "@hindglance/contract/nodes";
export type { SavedPreset } from "@hindglance/contract/presets";
export type { Run } from "@hindglance/contract/runs";
export type { OrbitFile, Scene, ZoneLayer } from "@hindglance/contract/scenes";
export type { AreaGeometry, LedgerEntry, Study, StudySummary } from "@hindglance/contract/studies";
export type { ArrivingFile, Upload, UploadDetail } from "@hindglance/contract/upload";

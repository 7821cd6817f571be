import type { Geometry } from "@hindglance/core/vector/features";
import type { GroundPoint } from "@hindglance/core/align/groundPoint";
import type { ImageInfo, VerticalDatum } from "@hindglance/core/graph/image";
import type { Histogram } from "@hindglance/core/raster/histogram";
import type { Statistics } from "@hindglance/core/raster/statistics";
import { SCENE_KINDS } from "@hindglance/core/scene/kinds";
import * as yup from "yup";
import { nodeView } from "./nodes";
import { overTimeAsk } from "./prepare";
import { route } from "./route";
import {
  type Of,
  flag,
  list,
  momentSchema,
  number,
  ofCore,
  ofCoreOrNull,
  shape,
  text,
  textOrNull,
  uuid,
  uuidOrNull,
} from "./shapes";

/**
 * What a person said at the import of a scene beyond what its files say; what was not asked, or was
 * left as the file has it, is absent.
 */
export interface SaidAtImport {
  kind?: string;
  acquiredAt?: string;
  polarisations?: (string | null)[];
  /** "power" or "dB". */
  units?: (string | null)[];
  /** What heights are counted from; null where nobody knows. */
  vertical?: VerticalDatum | null;
  epsg?: number;
  /** value = number · scale + offset, none where the number is `fill`. */
  rescale?: { scale: number; offset: number; fill: number | null };
  /** A number of the file that was kept rounded, and what it became. */
  rounded?: { value: number; becomes: number };
  /** Cell size of the bands that were taken, and whether others were brought to it. */
  cellM?: number;
  bring?: boolean;
}

/** What is known of a scene's file, by what it is; what does not apply is absent. */
export interface SceneDetail {
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
  answers?: SaidAtImport;
  /** Places of an image that are known on the ground, where it has no grid. */
  groundPoints?: GroundPoint[];
  /** Files that it was made of, where they are several. */
  parts?: { name: string; sha256: string; size: number }[];
}

const scene = shape({
  id: uuid,
  studyId: uuid,
  kind: text,
  name: text,
  acquiredAt: textOrNull,
  fileName: text,
  fileSize: number,
  fileSha256: text,
  detail: ofCore<SceneDetail>(),
  imageId: uuidOrNull,
  runId: uuidOrNull,
  createdAt: text,
  info: ofCoreOrNull<ImageInfo>(),
  levels: yup.number().nullable().defined(),
  statistics: ofCoreOrNull<Statistics[]>(),
  histograms: ofCoreOrNull<Histogram[]>(),
  looks: yup.array(yup.number().nullable().defined()).nullable().defined(),
  /** Outline on the globe, lon/lat. */
  footprint: ofCoreOrNull<[number, number][]>(),
});
/** A scene: what is known of it, and its image where that is stored. */
export type Scene = Of<typeof scene>;

const begun = shape({ scene, runId: uuid });

const orbitFile = shape({
  id: uuid,
  studyId: uuid,
  fileName: text,
  fileSha256: text,
  mission: text,
  kind: yup
    .string()
    .oneOf(["precise", "restituted"] as const)
    .required(),
  /** Seconds since 2000. */
  from: number,
  to: number,
  /** Spans in between without vectors. */
  gaps: ofCore<[from: number, to: number][]>(),
  createdAt: text,
  /** Names of scenes that it surrounds, and of those at whose time it has a gap. */
  serves: list(text),
  broken: list(text),
});
/** An orbit file of a study. */
export type OrbitFile = Of<typeof orbitFile>;

/** What a person says of features in a file beyond what the file says. */
const ofVectors = {
  /** Which of its layers, counted from 0. */
  layer: yup.number().integer().min(0),
  /** EPSG code of the coordinates, where the file does not say it, or says a wrong one. */
  epsg: yup.number().integer().min(1000).max(999_999),
  /** Faults of geometries that can be mended are. */
  repair: yup.boolean(),
};

const zoneLayer = shape({
  id: uuid,
  studyId: uuid,
  name: text,
  fileName: text,
  fileSha256: text,
  nameField: text,
  features: number,
  createdAt: text,
});
/** Zones by which areas are told, without their polygons: `features` is how many they are. */
export type ZoneLayer = Of<typeof zoneLayer>;

const color = yup.string().matches(/^#[0-9a-f]{6}$/i, "A colour is # and six hexadecimal digits");

/** Features of an overlay as GeoJSON, lon/lat. */
export interface OverlayFeatures {
  type: "FeatureCollection";
  features: { type: "Feature"; properties: Record<string, unknown>; geometry: Geometry }[];
}
const overlay = shape({
  id: uuid,
  studyId: uuid,
  name: text,
  fileName: text,
  fileSha256: text,
  color: text,
  /** Property that is written beside each feature; null for none. */
  labelField: textOrNull,
  /** Properties that can be. */
  fields: list(text),
  features: number,
  shown: flag,
  createdAt: text,
});
/** Features that are laid over every map as a reference; they change no number. */
export type Overlay = Of<typeof overlay>;

const vertical = yup
  .string()
  .oneOf(["ellipsoid", "egm96", "egm2008"] as const)
  .nullable();
const name = yup.string().trim().min(1).max(120);

/** Routes of scenes and what belongs to them: orbit files, zones, the study area. */
export const sceneRoutes = {
  list: route({ method: "GET", path: "/studies/:id/scenes", answer: list(scene) }),
  /** Makes a scene of an upload, with what the file does not say. */
  create: route({
    method: "POST",
    path: "/studies/:id/scenes",
    body: shape({
      uploadId: uuid,
      kind: yup.string().oneOf(SCENE_KINDS).required(),
      name,
      acquiredAt: momentSchema().nullable(),
      bands: yup.array(
        yup
          .object({
            polarisation: yup.string().oneOf(["VV", "VH", "HH", "HV"]).nullable(),
            unit: yup.string().oneOf(["power", "dB"]).nullable(),
          })
          .noUnknown(),
      ),
      vertical,
      cellM: yup.number().moreThan(0),
      bring: yup.boolean(),
      epsg: yup.number().integer().min(1000).max(999_999),
      rescale: yup
        .object({ scale: number, offset: number, fill: yup.number().nullable().defined() })
        .noUnknown()
        .nullable()
        .default(undefined)
        .optional(),
      /** Numbers that 32 bits do not hold may be rounded. */
      rounded: yup.boolean(),
    }),
    answer: begun,
  }),
  /**
   * Joins neighbouring frames of one pass, or tiles of one date; the joined scene takes the place of
   * its parts when the run ends.
   */
  join: route({
    method: "POST",
    path: "/studies/:id/scenes/join",
    body: shape({
      sceneIds: yup.array(uuid).min(2, "Pick two scenes or more").max(200).required(),
      name,
    }),
    answer: begun,
  }),
  /**
   * One statistic over the dates of a series that no chain prepares: scenes with the bands and cells
   * of `like`.
   */
  overTime: route({
    method: "POST",
    path: "/studies/:id/scenes/over-time",
    body: overTimeAsk.shape({ like: uuid }),
    answer: begun,
  }),
  update: route({
    method: "PATCH",
    path: "/scenes/:id",
    body: shape({
      name: yup.string().trim().min(1, "Give the scene a name").max(120),
      acquiredAt: momentSchema().nullable(),
      vertical,
    }),
    answer: scene,
  }),
  /** Names and colours of a classified scene's classes, from the text of a style or of a table. */
  nameClasses: route({
    method: "PUT",
    path: "/scenes/:id/classes",
    body: shape({
      file: yup.string().max(300).required(),
      text: yup.string().max(2_000_000).defined(),
    }),
    answer: scene,
  }),
  /** Why the heights of an elevation may be counted from something else than is said. */
  datum: route({
    method: "GET",
    path: "/scenes/:id/datum",
    answer: shape({ doubt: yup.string().defined().nullable() }),
  }),
  remove: route({ method: "DELETE", path: "/scenes/:id" }),
  /** The image that shows a scene; `onMap`: of a radar product, what its chain makes. */
  node: route({
    method: "GET",
    path: "/scenes/:id/node",
    query: shape({ onMap: yup.string() }),
    answer: nodeView,
  }),
  orbits: route({ method: "GET", path: "/studies/:id/orbits", answer: list(orbitFile) }),
  removeOrbit: route({ method: "DELETE", path: "/orbits/:id" }),
  zones: route({ method: "GET", path: "/studies/:id/zones", answer: list(zoneLayer) }),
  createZones: route({
    method: "POST",
    path: "/studies/:id/zones",
    body: shape({ uploadId: uuid, name, nameField: yup.string(), ...ofVectors }),
    answer: zoneLayer,
  }),
  removeZones: route({ method: "DELETE", path: "/zones/:id" }),
  /** Zones are laid over every map too, under their names. */
  overlayOfZones: route({ method: "POST", path: "/zones/:id/overlay", answer: overlay }),
  /** Uploaded polygons become the study area. */
  setStudyArea: route({
    method: "POST",
    path: "/studies/:id/study-area",
    body: shape({ uploadId: uuid, ...ofVectors }),
  }),
  overlays: route({ method: "GET", path: "/studies/:id/overlays", answer: list(overlay) }),
  /** Uploaded features are laid over every map. */
  createOverlay: route({
    method: "POST",
    path: "/studies/:id/overlays",
    body: shape({
      uploadId: uuid,
      name,
      labelField: yup.string().nullable(),
      color,
      ...ofVectors,
    }),
    answer: overlay,
  }),
  updateOverlay: route({
    method: "PATCH",
    path: "/overlays/:id",
    body: shape({ name, color, labelField: yup.string().nullable(), shown: yup.boolean() }),
    answer: overlay,
  }),
  removeOverlay: route({ method: "DELETE", path: "/overlays/:id" }),
  /** Features in longitude and latitude of an overlay, as GeoJSON. */
  overlayFeatures: route({
    method: "GET",
    path: "/overlays/:id/features",
    answer: ofCore<OverlayFeatures>(),
  }),
};

const nodeValues = shape({
  hash: text,
  bands: list(
    shape({
      name: text,
      nm: yup.number().nullable().defined(),
      unit: text,
      value: yup.number().nullable().defined(),
    }),
  ),
});
/** What a node shows at one place, band by band. */
export type NodeValues = Of<typeof nodeValues>;

/** Routes of images. */
export const nodeRoutes = {
  values: route({
    method: "POST",
    path: "/nodes/values",
    body: shape({
      hashes: yup
        .array(
          yup
            .string()
            .matches(/^[0-9a-f]{32}$/)
            .required(),
        )
        .min(1)
        .max(8)
        .required(),
      place: yup.tuple([number, number]).required(),
      sizeCells: yup.number().oneOf([1, 3, 5, 7, 9, 15]).default(1),
    }),
    answer: list(nodeValues),
  }),
};

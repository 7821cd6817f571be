import type { Chain } from "@hindglance/core/chain/family";
import type { Note } from "@hindglance/core/change/firstMap/words";
import type { Confirms } from "@hindglance/core/change/second";
import type { ChangeSetup } from "@hindglance/core/change/setup";
import type { ImageInfo } from "@hindglance/core/graph/image";
import type { DepthSums } from "@hindglance/core/flood/depths";
import type { DoubtSums } from "@hindglance/core/doubt/areas";
import type { EditKind } from "@hindglance/core/edit/edits";
import type { NormalBand } from "@hindglance/core/normal/band";
import { STANDINGS } from "@hindglance/core/review/standing";
import type { TallyData } from "@hindglance/core/tally/tally";
import * as yup from "yup";
import { FILE_FORMAT_NAMES } from "./files";
import { nodeView } from "./nodes";
import { VALUE_SIZES } from "./pins";
import { route } from "./route";
import type { SaidAtImport } from "./scenes";
import {
  type Of,
  flag,
  list,
  number,
  numberOrNull,
  ofCore,
  ofCoreOrNull,
  shape,
  text,
  textOrNull,
  uuid,
  uuidOrNull,
  whole,
} from "./shapes";

/** A scene as a map remembers it. */
export interface SceneRecord {
  name: string;
  file: string;
  sha256: string;
  acquiredAt: string | null;
  band?: string;
  size: number;
  /** What has to be said of where it lies. */
  position?: string;
  /** What a person said of it beyond its files. */
  answers?: SaidAtImport;
  /** Files that it was made of, where they are several. */
  files?: { name: string; sha256: string; size: number }[];
}
/** How a date was prepared: the settings of its chain, and the orbit file it took. */
export interface PreparedSide {
  chain: Chain;
  orbit: { file: string; sha256: string; kind: string } | null;
}
/** What a map was made from. */
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
  /** The study area itself, in longitude and latitude; absent in maps of earlier versions. */
  studyArea?: object | null;
  grid: string;
  /** Unit of before, after and measure. */
  unit?: string;
  setup: ChangeSetup;
  /** Absent for images that came calibrated. */
  prepared?: { before: PreparedSide | null; after: PreparedSide | null };
  /** Scenes of either side, while they are there. Absent in maps that are older than this. */
  scenes?: { beforeId: string; afterId: string };
  /** The classified raster that rules look at. */
  cover?: SceneRecord;
  /** The classified dates that classes come from. */
  covers?: { before: SceneRecord; after: SceneRecord };
  /** Dates of the series that the measure looked at: those that were normal, and those after them. */
  series?: { normal: SceneRecord[]; watched: SceneRecord[] };
  /** What a second sensor saw near the dates, with what is looked at. */
  second?: { look: string; unit: string; before: SceneRecord | null; after: SceneRecord };
  /** How the dates were moved and levelled. */
  aligned?: { before: object | null; after: object | null };
  /** What the pair itself shows, what it may hide and what stays in doubt, of radar power. */
  evidence?: Note[];
  /** What was to be said about the pair when the map was written. */
  warnings?: string[];
  /** Edits of another map that it was written from. */
  edited?: EditsTold;
}

/** How a map came about by edits, as its provenance says it. */
export interface EditsTold {
  from: string;
  acts: Partial<Record<EditKind, number>>;
  editors: string[];
  /** Patches that were taken away or changed, and those in their place or new. */
  gone: number;
  made: number;
  /** Edits that the map came from that was edited. */
  before?: EditsTold;
}

const tallyRow = shape({
  zone: textOrNull,
  label: whole,
  name: text,
  color: text,
  cells: number,
  areaM2: number,
  sharePercent: number,
});
/** Area of a class in a zone. */
export type TallyRow = Of<typeof tallyRow>;

const madeFile = shape({ id: uuid, name: text, size: number, format: text });
/** A file that was made of a map. */
export type MadeFile = Of<typeof madeFile>;

const otherDate = shape({
  sceneId: text,
  name: text,
  acquiredAt: text,
  /** Whether it lies before the pair; else after it. */
  isEarlier: yup.boolean().required(),
});

const mapDoubt = shape({
  /** Of the probability that each cell is of the class that the map says. */
  imageId: uuid,
  countedAt: text,
  /** Probable areas by zone and class. */
  sums: ofCore<DoubtSums>(),
  /** Dates that patches were held against. */
  others: list(otherDate),
});
/** What was counted of the doubt of a map. */
export type MapDoubt = Of<typeof mapDoubt>;

const labels = yup.array(yup.number().integer().min(1).max(254).required());
const mapDepth = shape({
  /** Of the depth of every cell, metres. */
  imageId: uuid,
  countedAt: text,
  /** Water by zone and class. */
  sums: ofCore<DepthSums>(),
  /** Classes of ground that came under water, and all that are water or stand in it. */
  flooded: labels.required(),
  wet: labels.required(),
});
/** What was measured of the depth of a flood. */
export type MapDepth = Of<typeof mapDepth>;

const mapConfirmed = shape({
  countedAt: text,
  /** What confirms which classes. */
  confirms: ofCore<Confirms>(),
  /** Areas by zone, class and what is said, by the labels of core/src/change/confirmed.ts. */
  tally: ofCore<TallyData>(),
});
/** What a second sensor says of a map. */
export type MapConfirmed = Of<typeof mapConfirmed>;

const mapEdited = shape({
  /** The map that was edited, by its name of then; its id leads to it while it is there. */
  from: shape({ id: uuid, name: text }),
  /** Acts that led to it, by kind. */
  acts: ofCore<Partial<Record<EditKind, number>>>(),
  editors: list(text),
  /** Patches that were taken away or changed, and those in their place. */
  gone: whole,
  made: whole,
  /** The highest number by which cells tell a patch that somebody gave an outline. */
  lastNumber: whole,
  /** The table of the map that was edited. */
  tally: ofCore<TallyData>(),
});
/** How a map came about by edits of another one. */
export type MapEdited = Of<typeof mapEdited>;

const changeMap = shape({
  id: uuid,
  studyId: uuid,
  name: text,
  imageId: uuid,
  nodeHash: text,
  setup: ofCore<ChangeSetup>(),
  provenance: ofCore<Provenance>(),
  tally: ofCore<TallyData>(),
  patchCount: whole,
  createdAt: text,
  info: ofCore<ImageInfo>(),
  rows: list(tallyRow),
  /** null until it is counted. */
  doubt: mapDoubt.nullable().default(null),
  /** null until it is measured. */
  depth: mapDepth.nullable().default(null),
  /** null where no second sensor is asked, and until it was. */
  confirmed: mapConfirmed.nullable().default(null),
  /** null where it was not written from edits. */
  edited: mapEdited.nullable().default(null),
  patchImageId: uuidOrNull,
  /** Rows of the map that was edited; none where it was not written from edits. */
  rowsBefore: list(tallyRow),
  files: list(madeFile),
});
/** A map that was written, with its table and its files. */
export type ChangeMap = Of<typeof changeMap>;

const patchRow = shape({
  number: whole,
  label: whole,
  cells: number,
  areaM2: number,
  perimeterM: numberOrNull,
  measure: numberOrNull,
  elevation: numberOrNull,
  /** Mean probability of its cells to be of its class; null until it is counted. */
  certainty: numberOrNull,
  /** Share of its cells at its edge. */
  edgeShare: numberOrNull,
  /** Other dates on which it looks as the map says, earlier and later ones, of those on which it is seen. */
  earlierAlike: whole,
  earlierSeen: whole,
  laterAlike: whole,
  laterSeen: whole,
  /** Water over it: level, how far its shores disagree, mean depth, metres; null where not measured. */
  level: numberOrNull,
  spread: numberOrNull,
  depth: numberOrNull,
  /** Shares of its cells that a second sensor saw, and confirmed; null where none was asked of its class. */
  seenShare: numberOrNull,
  confirmedShare: numberOrNull,
  /** By all that was said of it. */
  standing: yup.string().oneOf(STANDINGS).required(),
  /** Whether somebody gave it its outline or its class. */
  edited: flag,
  west: number,
  south: number,
  east: number,
  north: number,
});
/** A patch of a map. */
export type PatchRow = Of<typeof patchRow>;
const patchShape = patchRow.shape({ geometry: ofCore<object>() });
/** A patch with its outline as GeoJSON. */
export type PatchShape = Of<typeof patchShape>;

/** What patches can be sorted by. */
export const PATCH_SORTS = [
  "number",
  "class",
  "area",
  "perimeter",
  "measure",
  /** How far the measure lies from nought, on either side. */
  "strength",
  "elevation",
  /** One less the mean probability of the class. */
  "doubt",
  /** What a second sensor saw and did not confirm, as a share of the patch. */
  "against",
  /** From west to east, strip by strip from the north. */
  "place",
] as const;
export type PatchSort = (typeof PATCH_SORTS)[number];
/** A list in a query: numbers with commas between them. */
const numbers = (value: unknown): unknown =>
  typeof value === "string" && value !== "" ? value.split(",").map(Number) : value;
/** Ends in degrees: west, south, east, north. */
export const box = yup
  .array(yup.number().required())
  .length(4, "box takes west, south, east, north")
  .transform((_value, raw) => numbers(raw))
  .required();

/** Corners of a ring that patches are asked for within. */
export const MOST_CORNERS = 100;
const texts = (value: unknown): unknown =>
  typeof value === "string" && value !== "" ? value.split(",") : value;
const end = yup.number().nullable().default(null);
/** Which patches are meant. */
const filter = {
  labels: yup
    .array(yup.number().integer().min(1).max(254).required())
    .transform((_value, raw) => numbers(raw))
    .nullable()
    .default(null),
  /** How patches stand by what was said of them. */
  standings: yup
    .array(yup.string().oneOf(STANDINGS).required())
    .transform((_value, raw) => texts(raw))
    .nullable()
    .default(null),
  /** Number of a zone that they have a part in; 0: in no zone. */
  zone: yup.number().integer().min(0).max(65_535).nullable().default(null),
  /** Corners of a ring, longitude and latitude in turn, within which the middles of patches lie. */
  within: yup
    .array(yup.number().min(-360).max(360).required())
    .min(6, "within takes three corners or more")
    .max(2 * MOST_CORNERS, `within takes at most ${MOST_CORNERS} corners`)
    .transform((_value, raw) => numbers(raw))
    .nullable()
    .default(null),
  leastM2: end,
  mostM2: end,
  measureFrom: end,
  measureTo: end,
  elevationFrom: end,
  elevationTo: end,
  /** One less the mean probability of the class, 0 to 1. */
  doubtFrom: end,
  doubtTo: end,
};
/** Which patches are meant, and in which order. */
const which = {
  ...filter,
  /** Classes whose patches come before all others, whatever the order. */
  first: yup
    .array(yup.number().integer().min(1).max(254).required())
    .transform((_value, raw) => numbers(raw))
    .nullable()
    .default(null),
  sort: yup.string().oneOf(PATCH_SORTS).default("area"),
  down: yup.boolean().default(true),
};
/** Schema of which patches are meant, in no order. */
export const patchFilter = shape(filter);
/** Which patches are meant. */
export type PatchFilter = Of<typeof patchFilter>;
/** Schema of which patches, and in which order. */
export const patchQuery = shape(which);
/** Which patches, and in which order. */
export type PatchQuery = Of<typeof patchQuery>;

const name = yup
  .string()
  .trim()
  .min(1, "Give the change map a name")
  .max(120, "A name has at most 120 characters")
  .required("Give the change map a name");

/** Routes of change maps: listed, renamed, deleted, their patches and files. */
export const changeMapRoutes = {
  list: route({ method: "GET", path: "/studies/:id/change-maps", answer: list(changeMap) }),
  find: route({ method: "GET", path: "/change-maps/:id", answer: changeMap }),
  rename: route({
    method: "PATCH",
    path: "/change-maps/:id",
    body: shape({ name }),
    answer: changeMap,
  }),
  remove: route({ method: "DELETE", path: "/change-maps/:id" }),
  node: route({ method: "GET", path: "/change-maps/:id/node", answer: nodeView }),
  /** Probability of every cell to be of the class that the map says; 404 until it is counted. */
  doubtNode: route({ method: "GET", path: "/change-maps/:id/doubt-node", answer: nodeView }),
  /** Measures how high the water stands and how deep it is, in a run. */
  measureDepth: route({
    method: "POST",
    path: "/change-maps/:id/depth",
    body: shape({
      flooded: labels.min(1, "Say which classes came under water").required(),
      wet: labels.required(),
    }),
    answer: shape({ runId: uuid }),
  }),
  /** Depth of every cell; 404 until it is measured. */
  depthNode: route({ method: "GET", path: "/change-maps/:id/depth-node", answer: nodeView }),
  /**
   * What is normal at a place, of a map that was measured against earlier dates: the mean of cells around
   * it, as values of places are. Null where the map asks for no normal, or too little is seen there.
   */
  normal: route({
    method: "GET",
    path: "/change-maps/:id/normal",
    query: shape({
      lon: yup.number().min(-180).max(180).required(),
      lat: yup.number().min(-90).max(90).required(),
      sizeCells: yup.number().oneOf(VALUE_SIZES).default(3),
    }),
    answer: shape({ band: ofCoreOrNull<NormalBand>() }),
  }),
  /** Patches in an order, some at a time. */
  patches: route({
    method: "GET",
    path: "/change-maps/:id/patches",
    query: shape({
      ...which,
      offset: yup.number().integer().min(0).default(0),
      limit: yup.number().integer().min(1).max(500).default(100),
    }),
    answer: shape({ count: whole, areaM2: number, patches: list(patchRow) }),
  }),
  /**
   * Outlines of patches in a part of the map, the largest first, as fine as the screen shows them.
   */
  outlines: route({
    method: "GET",
    path: "/change-maps/:id/outlines",
    query: shape({
      ...which,
      box,
      limit: yup.number().integer().min(1).max(5000).default(1500),
      toleranceDeg: yup.number().min(0).max(10).default(0),
    }),
    answer: list(patchShape),
  }),
  outline: route({
    method: "GET",
    path: "/change-maps/:id/outlines/:number",
    answer: patchShape,
  }),
  /** Makes a file of a map, in a run. */
  makeFile: route({
    method: "POST",
    path: "/change-maps/:id/files",
    body: shape({ format: yup.string().oneOf(FILE_FORMAT_NAMES).required() }),
    answer: shape({ runId: uuid }),
  }),
  /** Place of a patch in an order, counted from nought; null where the filter leaves it out. */
  place: route({
    method: "GET",
    path: "/change-maps/:id/place",
    query: shape({ ...which, number: yup.number().integer().min(1).required() }),
    answer: shape({ place: yup.number().nullable().defined() }),
  }),
};

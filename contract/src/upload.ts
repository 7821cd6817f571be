import type { GroundPoint } from "@hindglance/core/align/groundPoint";
import type { BandInfo } from "@hindglance/core/graph/image";
import * as yup from "yup";
import { errorShape } from "./errors";
import { route } from "./route";
import {
  type Of,
  flag,
  list,
  number,
  numberOrNull,
  ofCore,
  shape,
  text,
  textOrNull,
  uuid,
} from "./shapes";

const UPLOAD_FORMS = ["raster", "stack", "vectors", "product", "orbit"] as const;
/** What a file turned out to be. */
export type UploadForm = (typeof UPLOAD_FORMS)[number];

const polarisation = shape({ name: text, bytes: number });
const group = shape({ cellM: number, bands: list(text) });
const vectorLayer = shape({
  name: text,
  features: number,
  /** Features of each shape; one may be of several. */
  points: number,
  lines: number,
  polygons: number,
  /** Properties that all of them have, and the one that looks like a name. */
  nameFields: list(text),
  nameField: textOrNull,
  /** Name of the coordinate system; null where the file does not say it. */
  system: textOrNull,
  /** Why the system has to be given; null where it has not. */
  noSystem: textOrNull,
  /** What is wrong with geometries, in words, the first ones; number of all features with faults. */
  faults: list(text),
  faulty: number,
  /** Features whose heights are left out. */
  withHeights: number,
  /** Why it cannot be used at all; null where it can. */
  refused: textOrNull,
  /** Whether it was imported already, and the file waits for its other layers. */
  taken: flag,
});
/** A layer of features in a file, and what has to be said of it. */
export type FoundLayer = Of<typeof vectorLayer>;

const optionalText = yup.string().optional();
const optionalCount = yup.number().optional();

/**
 * Schema of what was found in a file, by what it is; what does not apply is absent, and what only
 * the import needs is not told.
 */
export const uploadDetail = yup
  .object({
    form: yup.string().oneOf(UPLOAD_FORMS).required(),
    /** What the file does not say and a person must. */
    missing: yup.array(text).optional(),
    kind: yup.string().nullable().optional(),
    acquiredAt: yup.string().nullable().optional(),
    bands: yup.array(ofCore<BandInfo>()).optional(),
    noPosition: optionalText,
    nodata: yup.string().nullable().optional(),
    width: optionalCount,
    height: optionalCount,
    sampleType: optionalText,
    /** Places of an image that are known on the ground, where it has no grid. */
    groundPoints: yup.array(ofCore<GroundPoint>()).optional(),
    /** A number of the file that would be rounded, and what it would become. */
    rounding: shape({ value: number, becomes: number }).optional().default(undefined),
    /** Bands by cell size, where an optical scene has several. */
    groups: yup.array(group).optional(),
    product: optionalText,
    name: optionalText,
    mission: optionalText,
    pass: optionalText,
    mode: optionalText,
    start: optionalText,
    polarisations: yup.array(polarisation).optional(),
    lines: optionalCount,
    samples: optionalCount,
    warnings: yup.array(text).optional(),
    orbitKind: optionalText,
    orbitId: optionalText,
    /** Names of the scenes that an orbit file serves. */
    scenes: yup.array(text).optional(),
    /** Layers of features, in the order of the file. */
    layers: yup.array(vectorLayer).optional(),
  })
  .noUnknown();
/** What was found in a file, by what it is; what does not apply is absent. */
export type UploadDetail = Of<typeof uploadDetail>;

const upload = shape({
  id: uuid,
  name: text,
  size: number,
  /** Checksum of the file, or of the folder that it stands for. */
  sha256: textOrNull,
  createdAt: text,
  detail: uploadDetail.nullable().defined(),
});
/** A file that has arrived and is no scene yet. `detail`: null while it is being looked at. */
export type Upload = Of<typeof upload>;

const taken = upload.shape({ imported: flag });
/** A file that was looked at, and whether it was imported at once. */
export type TakenUpload = Of<typeof taken>;

const ARRIVAL_STATES = ["coming", "settling", "refused"] as const;

const part = shape({
  id: uuid,
  path: text,
  length: number,
  size: number,
  modified: numberOrNull,
});

const arriving = shape({
  /** The file's id, or the folder's. */
  id: uuid,
  folder: flag,
  name: text,
  /** Number of all its files, and their bytes. */
  files: number,
  length: number,
  /** Bytes that have arrived, and when the last ones did. */
  size: number,
  touchedAt: text,
  state: yup.string().oneOf(ARRIVAL_STATES).required(),
  /** Why it was not taken in. */
  refused: errorShape.nullable().defined(),
  /** Files of it that have begun to arrive. */
  parts: list(part),
});
/**
 * A file, or a folder of files, that comes in pieces: bytes of it are missing ("coming"), it is being
 * looked at ("settling"), or it was not taken in ("refused").
 */
export type ArrivingFile = Of<typeof arriving>;

const NAME = "The file needs a name of 1 to 255 characters";
const isName = (value: string): boolean =>
  value.length >= 1 && value.length <= 255 && ![...value].some((letter) => letter < " ");
/** Schema of the name of a file, without its folders. */
export const fileName = yup
  .string()
  .transform((value: string) => value.replace(/^.*[/\\]/, "").trim())
  .test("name", NAME, (value) => !!value && isName(value))
  .required(NAME);
const take = yup.boolean().default(false);

/** Where files are sent in pieces by tus 1.0.0, the open protocol for resumable uploads. */
export const SENDING = "/sending";
/**
 * Header of the last piece: the SHA-256 of the whole file in base64, as RFC 9530 writes it.
 */
export const DIGEST_HEADER = "repr-digest";

/** What is said of a file that is sent in pieces; all of it is text in the protocol. */
export const saidOfFile = shape({
  study: uuid,
  filename: fileName,
  modified: yup.number().integer().optional(),
  folder: yup.string().uuid().optional(),
  path: yup.string().max(1000).optional(),
  foldername: yup.string().max(255).optional(),
  files: yup.number().integer().min(1).max(10_000).optional(),
  bytes: yup.number().integer().min(1).optional(),
});

/** Routes of files on their way in: sent, looked at, listed, left out. */
export const uploadRoutes = {
  /**
   * The body is the file, as bytes. `take`: it is imported where nobody has to be asked. A file of a
   * folder comes with the folder's id and its path inside it.
   */
  send: route({
    method: "POST",
    path: "/studies/:id/uploads",
    query: shape({
      name: fileName,
      folder: yup.string().nullable().default(null),
      path: yup.string().nullable().default(null),
      take,
    }),
    answer: taken,
  }),
  /** Looks at files that belong together once all have arrived. */
  gather: route({
    method: "POST",
    path: "/studies/:id/folders/:folder",
    query: shape({ take }),
    answer: taken,
  }),
  /** Imports an upload that says everything and waits all the same. */
  take: route({ method: "POST", path: "/uploads/:id/take", answer: taken }),
  /** What is on its way, or was refused. */
  arriving: route({ method: "GET", path: "/studies/:id/arriving", answer: list(arriving) }),
  /** Looks again at a file or folder that was refused. */
  again: route({ method: "POST", path: "/studies/:id/arriving/:arrivingId/again" }),
  /** Forgets a file or folder that is on its way, or was refused. */
  forget: route({ method: "DELETE", path: "/studies/:id/arriving/:arrivingId" }),
  /** What a study has of the bytes with this SHA-256, in words; null where it has nothing. */
  known: route({
    method: "GET",
    path: "/studies/:id/known",
    query: shape({
      sha256: yup
        .string()
        .matches(/^[0-9a-f]{64}$/)
        .required(),
      name: text,
    }),
    answer: shape({ said: textOrNull }),
  }),
  list: route({ method: "GET", path: "/studies/:id/uploads", answer: list(upload) }),
  remove: route({ method: "DELETE", path: "/uploads/:id" }),
};

/**
 * Whether layers can be nothing but zones: one of named polygons without a doubt. A single polygon may
 * be the study area, which only a person knows.
 */
function saysZones([layer, ...others]: readonly FoundLayer[]): boolean {
  if (!layer || others.length > 0) {
    return false;
  }
  const { features, polygons, points, lines, nameField, noSystem, faulty, refused } = layer;
  const areAreas = polygons === features && points + lines === 0;
  return areAreas && features > 1 && !!nameField && !noSystem && !refused && faulty === 0;
}

/** Whether a file says all that is needed, so that nobody has to be asked. */
export function saysEverything(detail: UploadDetail): boolean {
  const nothingMissing = (detail.missing ?? []).length === 0;
  switch (detail.form) {
    case "product":
    case "orbit":
      return true;
    case "stack":
      return nothingMissing;
    case "vectors":
      return saysZones(detail.layers ?? []);
    default:
      return (
        nothingMissing &&
        (detail.kind !== "radar" || (detail.bands ?? []).every((band) => band.polarisation))
      );
  }
}

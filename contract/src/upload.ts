import type { BandInfo } from "@hindglance/core/graph/image";
import * as yup from "yup";
import { route } from "./route";
import { type Of, flag, list, number, ofCore, shape, text, textOrNull, uuid } from "./shapes";

const UPLOAD_FORMS = ["raster", "stack", "zones", "product", "orbit"] as const;
/** What a file turned out to be. */
export type UploadForm = (typeof UPLOAD_FORMS)[number];

const polarisation = shape({ name: text, bytes: number });
const group = shape({ cellM: number, bands: list(text) });
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
    /** Number of polygons, properties that all of them have, and the one that looks like a name. */
    zones: optionalCount,
    nameFields: yup.array(text).optional(),
    nameField: yup.string().nullable().optional(),
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

const NAME = "The file needs a name of 1 to 255 characters";
const isName = (value: string): boolean =>
  value.length >= 1 && value.length <= 255 && ![...value].some((letter) => letter < " ");
const take = yup.boolean().default(false);

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
      name: yup
        .string()
        .transform((value: string) => value.replace(/^.*[/\\]/, "").trim())
        .test("name", NAME, (value) => !!value && isName(value))
        .required(NAME),
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
  /** Looks again at a file whose looking at was broken off with the server. */
  look: route({ method: "POST", path: "/uploads/:id/look", answer: taken }),
  list: route({ method: "GET", path: "/studies/:id/uploads", answer: list(upload) }),
  remove: route({ method: "DELETE", path: "/uploads/:id" }),
};

/** Whether a file says all that is needed, so that nobody has to be asked. */
export function saysEverything(detail: UploadDetail): boolean {
  const nothingMissing = (detail.missing ?? []).length === 0;
  switch (detail.form) {
    case "product":
    case "orbit":
      return true;
    case "stack":
      return nothingMissing;
    case "zones":
      // A single polygon may be the study area, which only a person knows.
      return !!detail.nameField && (detail.zones ?? 0) > 1;
    default:
      return (
        nothingMissing &&
        (detail.kind !== "radar" || (detail.bands ?? []).every((band) => band.polarisation))
      );
  }
}

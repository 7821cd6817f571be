import * as yup from "yup";
import type { ChangeSetup } from "../change/setup";
import { changeSetupSchema } from "../change/setup";
import { canonicalJson } from "../graph/node";
import type { VerticalDatum } from "../graph/image";
import { type RecordedEdits, recordedEditsSchema } from "../edit/recorded";
import { InputError, messageOf } from "../errors";
import { SCENE_KINDS, type SceneKind } from "../scene/kinds";
import type { TallyData } from "../tally/tally";
import { isRecord } from "../values";
import type { PackedNode, PackedRef } from "./graph";

/** Version of the format that accounts are written in. */
export const ACCOUNT_FORMAT = 1;

/** A file that a scene was made of: its path in its folder, or its name. */
export interface AccountFile {
  path: string;
  sha256: string;
  size: number;
}

/** What a person said at an import, as the interface takes it; what was not said is absent. */
export interface SaidToImport {
  acquiredAt?: string | null;
  bands?: { polarisation?: Polarisation | null; unit?: "power" | "dB" | null }[];
  vertical?: VerticalDatum | null;
  cellM?: number;
  bring?: boolean;
  epsg?: number;
  rescale?: { scale: number; offset: number; fill: number | null } | null;
  rounded?: boolean;
}
type Polarisation = "VV" | "VH" | "HH" | "HV";

/** How a scene came out of files: what was said of them, and by what it was cut. */
export interface FromFiles {
  kind: "files";
  sceneKind: SceneKind;
  name: string;
  files: AccountFile[];
  /** Whether they lay in a folder together. */
  isFolder: boolean;
  said: SaidToImport;
  /** The study area that it was cut by, in longitude and latitude; null: it is whole. */
  studyArea: object | null;
  /** What heights are counted from, where it is elevation. */
  vertical?: VerticalDatum | null;
}

/** How a scene was joined from frames of one pass, or tiles of one date, each out of files of its own. */
export interface FromParts {
  kind: "joined";
  name: string;
  parts: FromFiles[];
}

/** How a scene was computed here. */
export interface FromNode {
  kind: "made";
  sceneKind: string;
  name: string;
  acquiredAt: string | null;
  what: string;
  node: PackedRef;
}

/** An image that a map was made from, called by what it holds. */
export interface AccountSource {
  /** SHA-256 of its cells and of what is known of them. */
  content: string;
  /** What the scene was called by then. */
  sceneId: string;
  origin: FromFiles | FromParts | FromNode;
}

/** What came out, so that it can be held against what comes out again. */
export interface AccountResult {
  /** Identity of the map: its graph over images that are called by what they hold. */
  identity: string;
  /** SHA-256 of the classes of its cells, and of its patches with their outlines. */
  cells: string;
  patches: string;
  patchCount: number;
  tally: TallyData;
}

const HAZARDS = ["flood", "fire", "land cover", "other"] as const;
type Hazard = (typeof HAZARDS)[number];

/** A result of a chain that was kept: it is computed once, and read wherever it is needed. */
export interface AccountKept {
  node: PackedRef;
  /** What the scene that it is of holds. */
  content: string;
  step: string;
  steps: Record<string, string>;
}

/** Files that a scene came out of; none where it was computed from other scenes. */
export function filesOf(origin: AccountSource["origin"]): AccountFile[] {
  if (origin.kind === "joined") {
    return origin.parts.flatMap(({ files }) => files);
  }
  return origin.kind === "files" ? origin.files : [];
}

/** Everything that it takes to make a map again from its files alone. */
export interface Account {
  format: typeof ACCOUNT_FORMAT;
  program: string;
  study: { name: string; hazard: Hazard; eventAt: string | null; studyArea: object | null };
  /** In the order in which they must be there: what others are made of comes first. */
  sources: AccountSource[];
  models: { id: string; text: string }[];
  nodes: PackedNode[];
  kept: AccountKept[];
  map: {
    name: string;
    setup: ChangeSetup;
    provenance: Record<string, unknown>;
    zones: unknown[];
    /** Its classes after each limit, and what else is made from it, with nodes told by their place. */
    stages: PackedRef;
    madeFrom: Record<string, unknown>;
    /** Edits by hand since, from map to map; absent where there were none. */
    edits?: RecordedEdits[];
  };
  result: AccountResult;
}

const sha256 = yup
  .string()
  .matches(/^[0-9a-f]{64}$/, "${path} must be a SHA-256")
  .required();
const text = (most: number) => yup.string().max(most).defined();
const record = yup.mixed<Record<string, unknown>>(isRecord).required();
const objectOrNull = yup
  .mixed<object>((value: unknown): value is object => isRecord(value))
  .nullable()
  .defined();
const reference = yup
  .object({ packedNode: yup.number().integer().min(0).required() })
  .noUnknown()
  .required();
const sceneKind = yup.string<SceneKind>().oneOf(SCENE_KINDS).required();

const fileSchema = yup
  .object({ path: text(1000).min(1), sha256, size: yup.number().integer().min(0).required() })
  .noUnknown();
const vertical = yup
  .string()
  .oneOf(["ellipsoid", "egm96", "egm2008"] as const)
  .nullable();
const saidSchema = yup
  .object({
    acquiredAt: yup.string().nullable(),
    bands: yup.array(
      yup
        .object({
          polarisation: yup
            .string()
            .oneOf(["VV", "VH", "HH", "HV"] as const)
            .nullable(),
          unit: yup
            .string()
            .oneOf(["power", "dB"] as const)
            .nullable(),
        })
        .noUnknown(),
    ),
    vertical,
    cellM: yup.number().moreThan(0),
    bring: yup.boolean(),
    epsg: yup.number().integer(),
    rescale: yup
      .object({
        ...{ scale: yup.number().required(), offset: yup.number().required() },
        fill: yup.number().nullable().defined(),
      })
      .noUnknown()
      .nullable()
      .default(undefined)
      .optional(),
    rounded: yup.boolean(),
  })
  .noUnknown();
const filesSchema = yup
  .object({
    kind: yup
      .string()
      .oneOf(["files"] as const)
      .required(),
    ...{ sceneKind, name: text(200), said: saidSchema, studyArea: objectOrNull },
    files: yup.array(fileSchema.required()).min(1).max(2000).required(),
    isFolder: yup.boolean().required(),
    vertical,
  })
  .noUnknown();
const joinedSchema = yup
  .object({
    kind: yup
      .string()
      .oneOf(["joined"] as const)
      .required(),
    name: text(200),
    parts: yup.array(filesSchema.required()).min(2).max(200).required(),
  })
  .noUnknown();
const madeSchema = yup
  .object({
    kind: yup
      .string()
      .oneOf(["made"] as const)
      .required(),
    ...{ sceneKind, name: text(200), what: text(200), node: reference },
    acquiredAt: yup.string().nullable().defined(),
  })
  .noUnknown();
const originSchema = yup.lazy((value: unknown) => {
  const kind = isRecord(value) ? value.kind : null;
  if (kind === "made") {
    return madeSchema.required();
  }
  return kind === "joined" ? joinedSchema.required() : filesSchema.required();
});

/** Schema of an account. */
export const accountSchema = yup
  .object({
    format: yup
      .number()
      .oneOf([ACCOUNT_FORMAT] as const)
      .required(),
    program: text(200),
    study: yup
      .object({
        ...{
          name: text(200).min(1),
          hazard: yup.string().oneOf(HAZARDS).required(),
          studyArea: objectOrNull,
        },
        eventAt: yup.string().nullable().defined(),
      })
      .noUnknown(),
    sources: yup
      .array(
        yup
          .object({
            content: sha256,
            sceneId: yup.string().uuid().required(),
            origin: originSchema,
          })
          .noUnknown()
          .required(),
      )
      .max(500)
      .required(),
    models: yup
      .array(
        yup
          .object({ id: text(100).min(1), text: text(50_000_000) })
          .noUnknown()
          .required(),
      )
      .max(50)
      .required(),
    nodes: yup
      .array(
        yup
          .object({
            step: text(100).min(1),
            version: yup.number().integer().required(),
            params: record,
            inputs: yup.array(yup.number().required()).required(),
          })
          .noUnknown()
          .required(),
      )
      .required(),
    kept: yup
      .array(
        yup
          .object({ node: reference, content: sha256, step: text(60).min(1), steps: record })
          .noUnknown()
          .required(),
      )
      .max(500)
      .required(),
    map: yup
      .object({
        ...{ name: text(120).min(1), setup: changeSetupSchema.required(), provenance: record },
        zones: yup.array().required(),
        ...{ stages: reference, madeFrom: record },
        edits: yup.array(recordedEditsSchema.required()).max(100).optional(),
      })
      .noUnknown(),
    result: yup
      .object({
        identity: text(64).min(1),
        ...{ cells: sha256, patches: sha256, tally: record },
        patchCount: yup.number().integer().min(0).required(),
      })
      .noUnknown(),
  })
  .noUnknown();

/** Whether something is an account. @throws ValidationError naming the field that is not as it should be */
function isAccount(value: unknown): value is Account {
  accountSchema.validateSync(value, { strict: true });
  return true;
}

/** An account out of what was read. @throws InputError naming the field that is wrong */
export function accountFrom(value: unknown): Account {
  if (isRecord(value) && "format" in value && value.format !== ACCOUNT_FORMAT) {
    throw new InputError("format must be 1: this program reads accounts of format 1", "format");
  }
  try {
    if (isAccount(value)) {
      return value;
    }
  } catch (error) {
    throw new InputError(messageOf(error), error instanceof yup.ValidationError ? error.path : "");
  }
  throw new InputError("It is no account of a map");
}

/** What differs between what came out and what was to come out; nothing where all of it is the same. */
export function resultDifferences(wanted: AccountResult, found: AccountResult): string[] {
  const told: [keyof AccountResult, string][] = [
    ["identity", "The images or the steps that it was made from differ"],
    ["cells", "Cells of the map differ"],
    ["patches", "Patches differ"],
    ["patchCount", "The number of patches differs"],
  ];
  const differences = told.flatMap(([key, said]) =>
    wanted[key] === found[key]
      ? []
      : [`${said}: ${String(wanted[key])} then, ${String(found[key])} now.`],
  );
  return canonicalJson(wanted.tally) === canonicalJson(found.tally)
    ? differences
    : [...differences, "The table of areas differs."];
}

import * as yup from "yup";
import { type MultiPolygon, isMultiPolygon } from "../vector/polygons";
import { EDIT_KINDS, type EditKind } from "./edits";

/** A patch that an act made, with the number by which later acts and cells tell it. */
export interface RecordedPatch {
  number: number;
  /** The patch that it was before; null where it is new. */
  from: number | null;
  label: number;
  /** In cells of the map, columns and rows. */
  polygons: MultiPolygon;
}

/** An act as it is recorded: what came of it, so that it can be done again without its reasons. */
export interface RecordedAct {
  kind: EditKind;
  editor: string;
  /** Patches that were not there any more. */
  gone: number[];
  made: RecordedPatch[];
}

/** Edits by which a map was written from another one. */
export interface RecordedEdits {
  /** What the map is called that was written from them. */
  name: string;
  /** Those that stood when it was written, the first first. */
  acts: RecordedAct[];
  /** Number of the next patch that an edit would have made: acts that were undone took numbers too. */
  nextNumber: number;
}

const aNumber = yup.number().integer().min(1).required();
const patchSchema = yup
  .object({
    number: aNumber,
    from: yup.number().integer().min(1).nullable().defined(),
    label: yup.number().integer().min(1).max(254).required(),
    polygons: yup
      .mixed<MultiPolygon>(isMultiPolygon)
      .required()
      .typeError("${path} takes rings of corners in cells of the map"),
  })
  .noUnknown();
const actSchema = yup
  .object({
    kind: yup.string().oneOf(EDIT_KINDS).required(),
    editor: yup.string().max(200).defined(),
    gone: yup.array(aNumber).required(),
    made: yup.array(patchSchema.required()).required(),
  })
  .noUnknown();

const increases = (acts: readonly Pick<RecordedAct, "made">[], end: number): boolean => {
  const numbers = acts.flatMap(({ made }) => made.map(({ number }) => number));
  return [...numbers, end].every((number, k) => k === 0 || number > numbers[k - 1]!);
};

/** Schema of recorded edits; numbers of patches grow from act to act. */
export const recordedEditsSchema = yup
  .object({
    name: yup.string().min(1).max(120).required(),
    acts: yup.array(actSchema.required()).required(),
    nextNumber: aNumber,
  })
  .noUnknown()
  .test(
    "numbers",
    "${path}: numbers of patches must grow from act to act",
    ({ acts, nextNumber }) => !Array.isArray(acts) || increases(acts, nextNumber),
  );

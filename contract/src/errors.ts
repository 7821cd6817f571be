import * as yup from "yup";
import { text } from "./shapes";

/** The one shape in which errors leave the server, as an answer or in a run. */
export interface ErrorBody {
  code: string;
  message: string;
  /** The field of the request that it is about. */
  field?: string;
  /** What can be done. */
  hint?: string;
}

/** What the server answers instead of what was asked for. */
export interface ErrorAnswer {
  error: ErrorBody;
}

/** Schema of an error that is kept with what it is about. */
export const errorShape = yup
  .object({ code: text, message: text, field: yup.string(), hint: yup.string() })
  .noUnknown();

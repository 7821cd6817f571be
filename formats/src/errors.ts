export type FormatProblem =
  | "notTiff"
  | "truncated"
  | "absurdSize"
  | "unsupported"
  | "damaged"
  | "noCrs"
  | "noPosition"
  | "hostile"
  | "incomplete"
  | "contradictory";

/** A file that cannot be read, and why. `hint` says what would help. */
export class FormatError extends Error {
  override name = "FormatError";
  constructor(
    readonly problem: FormatProblem,
    message: string,
    readonly hint?: string,
  ) {
    super(message);
  }
}

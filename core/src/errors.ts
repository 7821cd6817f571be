import { isRecord } from "./values";

/**
 * Something the caller gave cannot be used. `field` names the parameter, `hint` says what would
 * help.
 */
export class InputError extends Error {
  override name = "InputError";
  constructor(
    message: string,
    readonly field?: string,
    readonly hint?: string,
  ) {
    super(message);
  }
}

/** The work was told to stop. */
export class CancelledError extends Error {
  override name = "CancelledError";
  constructor(message = "Cancelled") {
    super(message);
  }
}

/** The code an error carries (of the database, of the file system), or "" where it has none. */
export const codeOf = (error: unknown): string =>
  isRecord(error) && typeof error.code === "string" ? error.code : "";

/** What an error says, whatever was thrown. */
export const messageOf = (error: unknown): string =>
  error instanceof Error ? error.message : String(error);

import type { ErrorBody } from "@hindglance/contract/errors";
import { InputError, codeOf, messageOf } from "@hindglance/core/errors";
import { FormatError } from "@hindglance/formats/errors";
import { isTransient } from "./db/transient";

/** An answer to the caller that something is wrong: status, code, and words for people. */
export class AppError extends Error {
  override name = "AppError";
  constructor(
    readonly status: number,
    readonly code: string,
    message: string,
    readonly field?: string,
    readonly hint?: string,
  ) {
    super(message);
  }
}

/** The answer that there is no such thing: 404. */
export const notFound = (what: string) =>
  new AppError(
    404,
    "notFound",
    `There is no such ${what}`,
    undefined,
    "It may have been deleted; go back and reload.",
  );

/** The answer that a file is larger than what is taken: 413. @param most in bytes */
export const tooLarge = (name: string, most: number) =>
  new AppError(
    413,
    "tooLarge",
    `${name} is larger than ${Math.round(most / 2 ** 30)} GB, the most that can be taken`,
    "file",
  );

/** Codes of PostgreSQL: no room on the disk, and a disk that cannot be written. */
const DISK_FULL = /^(53100|58030)$/;

/** Codes of PostgreSQL: a value that its type cannot hold, such as a day beyond all calendars. */
const NOT_HELD = /^22(003|007|008|021|P02|P05)$/;

/** What passes by itself and what is wrong with the disk, in words; else null. */
function errorOfDatabase(e: unknown): ErrorAnswer | null {
  if (isTransient(e)) {
    const hint = "Try again in a moment; nothing is lost.";
    const message = "The database does not answer just now";
    return { status: 503, body: { code: "busy", message, hint }, expected: true };
  }
  if (DISK_FULL.test(codeOf(e)) || /No space left on device/.test(messageOf(e))) {
    const hint = "Free some room there, or delete scenes and studies that are not needed.";
    const message = "The disk of the database is full";
    return { status: 507, body: { code: "diskFull", message, hint }, expected: true };
  }
  if (NOT_HELD.test(codeOf(e))) {
    const message = "A value in this request is beyond what can be kept";
    return { status: 422, body: { code: "invalid", message }, expected: true };
  }
  return null;
}

interface ErrorAnswer {
  status: number;
  body: ErrorBody;
  /** Whether it is one that people are told of. */
  expected: boolean;
}

/** Errors of work that was given up since nobody waits for it. */
const LEFT = ["CancelledError", "AbortError"];

/** An error as an answer; `expected`: whether it is one that people are told of. */
export function errorBody(e: unknown): ErrorAnswer {
  if (e instanceof AppError) {
    return {
      status: e.status,
      body: { code: e.code, message: e.message, field: e.field, hint: e.hint },
      expected: true,
    };
  }
  if (e instanceof FormatError) {
    return {
      status: 422,
      body: { code: e.problem, message: e.message, field: "file", hint: e.hint },
      expected: true,
    };
  }
  if (e instanceof InputError) {
    return {
      status: 422,
      body: { code: "invalid", message: e.message, field: e.field, hint: e.hint },
      expected: true,
    };
  }
  if (e instanceof Error && LEFT.includes(e.name)) {
    const message = "Nobody waits for this any more";
    return { status: 499, body: { code: "left", message }, expected: true };
  }
  return (
    errorOfDatabase(e) ?? {
      status: 500,
      body: {
        code: "internal",
        message: "Something went wrong in the server",
        hint: "The server log has the details.",
      },
      expected: false,
    }
  );
}

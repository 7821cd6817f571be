import type { ErrorBody } from "@hindglance/contract/errors";
import { InputError } from "@hindglance/core/errors";
import { FormatError } from "@hindglance/formats/errors";

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

/** An error as an answer; `expected`: whether it is one that people are told of. */
export function errorBody(e: unknown): { status: number; body: ErrorBody; expected: boolean } {
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
  return {
    status: 500,
    body: {
      code: "internal",
      message: "Something went wrong in the server",
      hint: "The server log has the details.",
    },
    expected: false,
  };
}

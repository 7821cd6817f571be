import { ApiError } from "./client";

/** Whether the server was not to be reached: what was asked may be asked again. */
export const isAway = (error: unknown): boolean =>
  error instanceof ApiError && (error.status === 0 || error.status === 503);

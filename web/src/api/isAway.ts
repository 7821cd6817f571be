import { ApiError } from "./client";

/** Whether the server was not to be reached: what was asked may be asked again. */
export const isAway = (error: unknown): boolean =>
  error instanceof ApiError && (error.status === 0 || error.status === 503);

/** How often something is sent again while the server is away, and how long between, milliseconds. */
const TRIES = 40;
const PAUSE_MS = 1500;

/** How a change is sent again for a minute while the server is away; also where the browser has no network. */
export const SENT_AGAIN = {
  retry: (count: number, error: unknown): boolean => isAway(error) && count < TRIES,
  retryDelay: PAUSE_MS,
  networkMode: "always",
} as const;

import { useReviewer } from "../state/reviewer";
import { ACTOR_HEADER } from "@hindglance/contract/route";
import type { ErrorAnswer } from "@hindglance/contract/errors";

/** What the server said was wrong, in words for people. */
export class ApiError extends Error {
  override name = "ApiError";
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

/** What a request carries: who asks, and nothing, the bytes of a file, or JSON. */
function carried(body: unknown): Pick<RequestInit, "headers" | "body"> {
  const { name } = useReviewer.getState();
  const by: Record<string, string> = name ? { [ACTOR_HEADER]: encodeURIComponent(name) } : {};
  if (body === undefined) {
    return { headers: by };
  }
  return body instanceof Blob
    ? { headers: { ...by, "content-type": "application/octet-stream" }, body }
    : { headers: { ...by, "content-type": "application/json" }, body: JSON.stringify(body) };
}

/**
 * Asks the server.
 * @param body a file is sent as its bytes, other things as JSON
 * @throws ApiError with what it answered, or that it cannot be reached
 */
export async function api<T>(
  method: string,
  path: string,
  body?: unknown,
  signal?: AbortSignal,
): Promise<T> {
  let response: Response;
  try {
    response = await fetch(`/api${path}`, {
      method,
      signal,
      ...carried(body),
    });
  } catch (error) {
    if (error instanceof Error && error.name === "AbortError") {
      throw error;
    }
    throw new ApiError(
      0,
      "offline",
      "The server does not answer",
      undefined,
      "Is it still running? Nothing on this page is lost.",
    );
  }
  if (!response.ok) {
    throw errorOf(response.status, await response.text());
  }
  return answerIn(response.status === 204 ? "null" : await response.text());
}

/** An answer as its route says that it is, which the server's tests check. */
export const answerIn = <T>(text: string): T => JSON.parse(text) as T;

/** What the server said was wrong, from the text of its answer. */
export function errorOf(status: number, text: string): ApiError {
  try {
    const { error } = answerIn<ErrorAnswer>(text);
    return new ApiError(status, error.code, error.message, error.field, error.hint);
  } catch {
    return new ApiError(status, "unknown", `The server answered with status ${status}`);
  }
}

/** What went wrong, in a sentence for people. */
export const sayError = (e: unknown): string => {
  if (e instanceof ApiError) {
    return `${e.message}.${e.hint ? ` ${e.hint}` : ""}`.replace(/([.?!])\./, "$1");
  }
  if (e instanceof Error) {
    return e.message;
  }
  return String(e);
};

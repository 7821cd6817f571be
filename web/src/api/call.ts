import { type AnswerOf, type RequestOf, type Route, addressOf } from "@hindglance/contract/route";
import { api } from "./client";

/**
 * Asks the server by a route whose body is a file, as bytes.
 * @throws ApiError with what it answered, or that it cannot be reached
 */
export const callWith = <Path extends string, Query, Answer>(
  route: Route<Path, Query, null, Answer>,
  request: RequestOf<Route<Path, Query, null, Answer>>,
  file: Blob,
): Promise<AnswerOf<Route<Path, Query, null, Answer>>> =>
  api(route.method, addressOf(route, request as Carried), file);

/** What any request may carry. */
interface Carried {
  body?: unknown;
  params?: Record<string, string>;
  query?: object;
}

/**
 * Asks the server by a route: the request and the answer have the types that the route says.
 * @throws ApiError with what it answered, or that it cannot be reached
 */
export function call<Path extends string, Query, Body, Answer>(
  route: Route<Path, Query, Body, Answer>,
  request: RequestOf<Route<Path, Query, Body, Answer>>,
  signal?: AbortSignal,
): Promise<AnswerOf<Route<Path, Query, Body, Answer>>> {
  const { body, ...where } = request as Carried;
  return api(route.method, addressOf(route, where), body, signal);
}

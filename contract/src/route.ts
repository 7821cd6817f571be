import type * as yup from "yup";

/** Names of the parameters in an address such as /studies/:id/runs. */
export type ParamsIn<Path extends string> = Path extends `${string}:${infer Name}/${infer Rest}`
  ? Name | ParamsIn<`/${Rest}`>
  : Path extends `${string}:${infer Name}`
    ? Name
    : never;

/**
 * One address of the server: what it takes and what it answers. The server checks requests with it,
 * the page's client is typed by it, and tests check answers against it. `null`: there is none.
 */
export interface Route<Path extends string, Query, Body, Answer> {
  readonly method: "GET" | "POST" | "PUT" | "PATCH" | "DELETE";
  /** Below /api; a parameter begins with a colon, and is a UUID where its name ends in "id". */
  readonly path: Path;
  readonly query: yup.ISchema<Query> | null;
  readonly body: yup.ISchema<Body> | null;
  readonly answer: yup.ISchema<Answer> | null;
}

/** Any route. */
export type AnyRoute = Route<string, unknown, unknown, unknown>;

/** Writes a route down; what is left out is not there. */
export const route = <const Path extends string, Query = null, Body = null, Answer = null>(given: {
  method: Route<Path, Query, Body, Answer>["method"];
  path: Path;
  query?: yup.ISchema<Query>;
  body?: yup.ISchema<Body>;
  answer?: yup.ISchema<Answer>;
}): Route<Path, Query, Body, Answer> => ({
  method: given.method,
  path: given.path,
  query: given.query ?? null,
  body: given.body ?? null,
  answer: given.answer ?? null,
});

/**
 * Header of a request: who acts, percent-encoded. It is what somebody says, not what is proven.
 */
export const ACTOR_HEADER = "acting-as";

/** What is sent: a field that may be undefined may be left out. */
export type Sent<T> = { [K in keyof T as undefined extends T[K] ? never : K]: T[K] } & {
  [K in keyof T as undefined extends T[K] ? K : never]?: T[K];
};

/** What a request of a route carries; a query may leave out what has a usual value. */
export type RequestOf<R> =
  R extends Route<infer Path, infer Query, infer Body, unknown>
    ? ([ParamsIn<Path>] extends [never] ? object : { params: Record<ParamsIn<Path>, string> }) &
        (Query extends null ? object : { query: Partial<Query> }) &
        (Body extends null ? object : { body: Sent<Body> })
    : never;

/** What a route answers. */
export type AnswerOf<R> = R extends Route<string, unknown, unknown, infer Answer> ? Answer : never;

/** The address of a route with its parameters and query filled in. */
export function addressOf(
  { path }: { path: string },
  request: { params?: Record<string, string>; query?: object },
): string {
  const filled = path.replace(/:(\w+)/g, (_all, name: string) =>
    encodeURIComponent(request.params?.[name] ?? ""),
  );
  const query = new URLSearchParams();
  for (const [name, value] of Object.entries(request.query ?? {})) {
    if (value !== undefined && value !== null) {
      query.set(name, String(value));
    }
  }
  const asked = query.toString();
  return asked ? `${filled}?${asked}` : filled;
}

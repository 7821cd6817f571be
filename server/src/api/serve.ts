import type { Request, Response, Router } from "express";
import * as yup from "yup";
import type { AnyRoute, ParamsIn, Route } from "@hindglance/contract/route";
import { AWAY_MS, tried } from "../db/transient";
import { AppError } from "../errors";
import { checked, idOf } from "./http";

/** A request whose parts have been checked with its route. */
export interface Asked<Path extends string, Query, Body> {
  params: Record<ParamsIn<Path>, string>;
  query: Query;
  body: Body;
  req: Request;
  res: Response;
}

/** An answer that goes out with another status than 200. */
export class Reply<Answer> {
  constructor(
    readonly status: number,
    readonly answer: Answer,
  ) {}
}

/** An answer that is the text of its JSON already: large ones are not parsed on their way out. */
export class JsonText {
  constructor(readonly text: string) {}
}

/** What is done for a route: the work takes the checked request and gives the answer. */
export type Work<R> =
  R extends Route<infer Path, infer Query, infer Body, infer Answer>
    ? (asked: Asked<Path, Query, Body>) => Promise<Answer | Reply<Answer> | JsonText>
    : never;

/** A route's schema as the class that checks: every schema of the library is one. */
function schemaOf<T>(schema: yup.ISchema<T>): yup.Schema<T> {
  if (!isSchema(schema)) {
    throw new TypeError("A route needs schemas that can check");
  }
  return schema;
}
const isSchema = <T>(schema: yup.ISchema<T>): schema is yup.Schema<T> =>
  schema instanceof yup.Schema;

/** @throws Error that names the route and the field of the answer that breaks it */
function requireAnswer(route: AnyRoute, answer: unknown): void {
  if (!route.answer) {
    return;
  }
  try {
    // What travels is JSON: dates are texts, and what is undefined is absent.
    const sent: unknown = JSON.parse(JSON.stringify(answer ?? null));
    schemaOf(route.answer).validateSync(sent, { strict: true });
  } catch (error) {
    throw new Error(
      `${route.method} ${route.path} answers what its route does not say: ${String(error)}`,
      { cause: error },
    );
  }
}

const VERBS = { GET: "get", POST: "post", PUT: "put", PATCH: "patch", DELETE: "delete" } as const;

/** A text in an address; one that nothing can be called leads nowhere. */
function textIn(value: string): string {
  if (value.includes("\0")) {
    throw new AppError(404, "notFound", "There is nothing at this address");
  }
  return value;
}

function paramsOf(req: Request): Record<string, string> {
  return Object.fromEntries(
    Object.entries(req.params).map(([name, value]) => [
      name,
      /id$/i.test(name) ? idOf(req, name) : textIn(String(value)),
    ]),
  );
}

/** A part of a request, checked with its route; where the route has none, its type is null. */
const part = <T>(schema: yup.ISchema<T> | null, value: unknown, where: "body" | "query"): T =>
  (schema && checked(schemaOf(schema), value ?? {}, where)) as T;

/**
 * Serves a route: the request is checked with it before the work, and what the work gives is the
 * answer. The work of a GET may be done several times. Without an answer the status is 204. Under
 * test an answer that breaks its route fails the request.
 */
export function serve<Path extends string, Query, Body, Answer>(
  router: Router,
  route: Route<Path, Query, Body, Answer>,
  work: (asked: Asked<Path, Query, Body>) => Promise<Answer | Reply<Answer> | JsonText>,
): void {
  router[VERBS[route.method]](route.path, async (req: Request, res: Response) => {
    const asked = {
      params: paramsOf(req),
      query: part(route.query, req.query, "query"),
      body: part(route.body, req.body, "body"),
      req,
      res,
    };
    // What only reads is asked again while the database is away.
    const given =
      route.method === "GET"
        ? await tried(() => work(asked), { forMs: AWAY_MS })
        : await work(asked);
    const { status, answer } = given instanceof Reply ? given : new Reply(200, given);
    if (!route.answer) {
      res.status(204).end();
      return;
    }
    const isText = answer instanceof JsonText;
    if (res.app.locals.checksAnswers) {
      requireAnswer(route, isText ? JSON.parse(answer.text) : answer);
    }
    res.status(status);
    if (isText) {
      res.type("json").send(answer.text);
    } else {
      res.json(answer);
    }
  });
}

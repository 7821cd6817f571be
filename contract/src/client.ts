import { messageOf } from "@hindglance/core/errors";
import * as yup from "yup";
import type { ErrorBody } from "./errors";
import { ACTOR_HEADER, type RequestOf, type Route, addressOf } from "./route";

/** What the server refused, with its words. */
export class Refused extends Error {
  override name = "Refused";
  constructor(
    readonly status: number,
    readonly body: ErrorBody,
  ) {
    super(body.message);
  }

  /** What is wrong and what would help, for people. */
  get words(): string {
    const { message, hint } = this.body;
    return hint ? `${message.replace(/[.]$/, "")}. ${hint}` : message;
  }
}

/** What is wrong, in words: those of the server where it refused something. */
export const wordsOf = (error: unknown): string =>
  error instanceof Refused ? error.words : messageOf(error);

/** What any request may carry. */
interface Carried {
  body?: unknown;
  params?: Record<string, string>;
  query?: object;
}
const asCarried = (request: object): Carried => request;

const refusal = yup
  .object({
    error: yup
      .object({
        code: yup.string().required(),
        message: yup.string().required(),
        field: yup.string(),
        hint: yup.string(),
      })
      .required(),
  })
  .required();

function refusedBy(status: number, text: string): Refused {
  try {
    const { code, message, field, hint } = refusal.validateSync(JSON.parse(text)).error;
    const more = { ...(field ? { field } : {}), ...(hint ? { hint } : {}) };
    return new Refused(status, { code, message, ...more });
  } catch {
    return new Refused(status, { code: "unknown", message: `The server answered with ${status}` });
  }
}

/** A schema as the class that checks: every schema of the library is one. */
function checking<T>(schema: yup.ISchema<T>): yup.Schema<T> {
  if (!isChecking(schema)) {
    throw new TypeError("A route needs schemas that can check");
  }
  return schema;
}
const isChecking = <T>(schema: yup.ISchema<T>): schema is yup.Schema<T> =>
  schema instanceof yup.Schema;

/** Whether a value is what a route answers. @throws ValidationError naming the field that is not */
function isAnswer<Answer>(
  { answer }: Route<string, unknown, unknown, Answer>,
  value: unknown,
): value is Answer {
  if (!answer) {
    return value === null;
  }
  checking(answer).validateSync(value, { strict: true });
  return true;
}

/** Asks a server by its routes from outside of a page: answers are what their routes say, checked. */
export class ServerClient {
  /** @param address such as http://127.0.0.1:5170 */
  constructor(
    readonly address: string,
    private readonly actor: string | null = null,
  ) {}

  /** The same server, asked in somebody's name. */
  actingAs(actor: string): ServerClient {
    return new ServerClient(this.address, actor);
  }

  /** @throws Refused with what the server answered */
  async call<Path extends string, Query, Body, Answer>(
    route: Route<Path, Query, Body, Answer>,
    request: RequestOf<Route<Path, Query, Body, Answer>>,
    signal?: AbortSignal,
  ): Promise<Answer> {
    const { body, ...where } = asCarried(request);
    const sent = body === undefined ? {} : { body: JSON.stringify(body) };
    return this.ask(route, where, { ...sent, type: "application/json" }, signal);
  }

  /** Asks by a route whose body is a file, as bytes. @throws Refused */
  async send<Path extends string, Query, Answer>(
    route: Route<Path, Query, null, Answer>,
    request: RequestOf<Route<Path, Query, null, Answer>>,
    body: BodyInit,
  ): Promise<Answer> {
    return this.ask(route, asCarried(request), { body, type: "application/octet-stream" });
  }

  private async ask<Answer>(
    route: Route<string, unknown, unknown, Answer>,
    where: Carried,
    { body, type }: { body?: BodyInit; type: string },
    signal?: AbortSignal,
  ): Promise<Answer> {
    const response = await fetch(`${this.address}/api${addressOf(route, where)}`, {
      method: route.method,
      headers: {
        ...(body === undefined ? {} : { "content-type": type }),
        ...(this.actor ? { [ACTOR_HEADER]: encodeURIComponent(this.actor) } : {}),
      },
      ...(body === undefined ? {} : { body, duplex: "half" }),
      ...(signal ? { signal } : {}),
    });
    const text = await response.text();
    if (!response.ok) {
      throw refusedBy(response.status, text);
    }
    const answer: unknown = text === "" ? null : JSON.parse(text);
    if (!isAnswer(route, answer)) {
      throw new TypeError(`${route.method} ${route.path} answers nothing`);
    }
    return answer;
  }
}

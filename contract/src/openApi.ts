import * as yup from "yup";
import type { AnyRoute } from "./route";

/** A schema of JSON Schema 2020-12, as OpenAPI 3.1 takes it. */
export type JsonSchema = Record<string, unknown>;

type Described = yup.SchemaFieldDescription;
type Told = yup.SchemaDescription;

const isTold = (one: Described): one is Told => "tests" in one;
const isObject = (one: Told): one is yup.SchemaObjectDescription => "fields" in one;
const isList = (one: Told): one is yup.SchemaInnerTypeDescription => "innerType" in one;

const numberOf = (params: Record<string, unknown> | undefined, key: string): number | null => {
  const value = params?.[key];
  return typeof value === "number" ? value : null;
};

/** What a test of a schema says of lengths and ends, by the type that it is on. */
function limits({ type, tests }: Told): JsonSchema {
  const out: JsonSchema = {};
  const [least, most] = {
    string: ["minLength", "maxLength"],
    array: ["minItems", "maxItems"],
  }[type] ?? ["minimum", "maximum"];
  for (const { name, params } of tests) {
    const [min, max] = [numberOf(params, "min"), numberOf(params, "max")];
    const [more, less] = [numberOf(params, "more"), numberOf(params, "less")];
    const length = numberOf(params, "length");
    Object.assign(
      out,
      name === "uuid" ? { format: "uuid" } : {},
      min === null ? {} : { [least!]: min },
      max === null ? {} : { [most!]: max },
      more === null ? {} : { exclusiveMinimum: more },
      less === null ? {} : { exclusiveMaximum: less },
      length === null ? {} : { [least!]: length, [most!]: length },
    );
  }
  return out;
}

const typeOf = ({ type, tests }: Told): string | null => {
  if (type === "number" && tests.some(({ name }) => name === "integer")) {
    return "integer";
  }
  return type === "mixed" || type === "tuple" || type === "lazy" ? null : type;
};

/** What stands inside of an object or a list. */
function within(told: Told): JsonSchema {
  if (isObject(told)) {
    const fields = Object.entries(told.fields);
    const needed = fields.filter(([, one]) => isTold(one) && !one.optional);
    return {
      properties: Object.fromEntries(fields.map(([name, one]) => [name, jsonSchema(one)])),
      ...(needed.length > 0 ? { required: needed.map(([name]) => name) } : {}),
      ...(told.tests.some(({ name }) => name === "noUnknown")
        ? { additionalProperties: false }
        : {}),
    };
  }
  if (isList(told) && told.innerType && !Array.isArray(told.innerType)) {
    return { items: jsonSchema(told.innerType) };
  }
  return {};
}

/** A schema of the contract as JSON Schema; what only code can check is left out. */
export function jsonSchema(one: Described): JsonSchema {
  if (!isTold(one)) {
    return {};
  }
  const type = typeOf(one);
  const types = type && one.nullable ? [type, "null"] : type;
  const values = one.oneOf.filter((value) => value !== undefined);
  return {
    ...(types ? { type: types } : {}),
    ...(values.length > 0 ? { enum: one.nullable ? [...values, null] : values } : {}),
    ...limits(one),
    ...within(one),
  };
}

const described = (schema: yup.ISchema<unknown> | null): JsonSchema =>
  schema instanceof yup.Schema ? jsonSchema(schema.describe()) : {};

/** Parameters in the address; those that end in "id" are UUIDs. */
const pathParameters = (path: string): object[] =>
  [...path.matchAll(/:(\w+)/g)].map(([, name]) => ({
    ...{ name, in: "path", required: true },
    schema: { type: "string", ...(/id$/i.test(name!) ? { format: "uuid" } : {}) },
  }));

function queryParameters({ query }: AnyRoute): object[] {
  const { properties, required = [] } = described(query);
  const needed = Array.isArray(required) ? required : [];
  return Object.entries(properties ?? {}).map(([name, schema]: [string, unknown]) => ({
    ...{ name, in: "query", required: needed.includes(name), schema },
  }));
}

const JSON_TYPE = "application/json";
const content = (schema: JsonSchema) => ({ content: { [JSON_TYPE]: { schema } } });

/** One route as an operation. */
function operation(about: string, key: string, route: AnyRoute): object {
  return {
    operationId: `${about} ${key}`.replace(/\W+(\w)/g, (_all, letter: string) =>
      letter.toUpperCase(),
    ),
    tags: [about],
    parameters: [...pathParameters(route.path), ...queryParameters(route)],
    ...(route.body ? { requestBody: { required: true, ...content(described(route.body)) } } : {}),
    responses: {
      [route.answer ? "200" : "204"]: route.answer
        ? { description: "What was asked for", ...content(described(route.answer)) }
        : { description: "Done" },
      default: {
        description: "What is wrong, by field, and what would help",
        ...content({ $ref: "#/components/schemas/Error" }),
      },
    },
  };
}

const ERROR: JsonSchema = {
  type: "object",
  required: ["error"],
  properties: {
    error: {
      type: "object",
      required: ["code", "message"],
      properties: {
        code: { type: "string" },
        message: { type: "string" },
        field: { type: "string" },
        hint: { type: "string" },
      },
    },
  },
};

/** The description of the server's interface. Source: OpenAPI 3.1.0. */
export function openApi(tables: Readonly<Record<string, Readonly<Record<string, AnyRoute>>>>) {
  const paths: Record<string, Record<string, object>> = {};
  for (const [about, routes] of Object.entries(tables)) {
    for (const [key, route] of Object.entries(routes)) {
      const path = route.path.replace(/:(\w+)/g, "{$1}");
      const own = (paths[path] ??= {});
      own[route.method.toLowerCase()] = operation(about, key, route);
    }
  }
  return {
    openapi: "3.1.0",
    info: {
      title: "Hind Glance",
      version: "0.1.0",
      description: "What the pages ask the server. Times are UTC; areas are square metres.",
    },
    servers: [{ url: "/api" }],
    tags: Object.keys(tables).map((name) => ({ name })),
    paths,
    components: { schemas: { Error: ERROR } },
  };
}

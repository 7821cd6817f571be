import * as yup from "yup";
import { jsonSchema, openApi } from "./openApi";
import { route } from "./route";
import { uuid, whole } from "./shapes";
import { ROUTE_TABLES } from "./tables";

test("a schema is told with its types, ends, values and what is needed", () => {
  const schema = yup
    .object({
      id: uuid,
      name: yup.string().min(1).max(80).required(),
      count: whole.min(0),
      share: yup.number().moreThan(0).nullable().defined(),
      kinds: yup.array(yup.string().oneOf(["a", "b"]).required()).max(3),
      anything: yup.mixed(),
    })
    .noUnknown();
  expect(jsonSchema(schema.describe())).toEqual({
    type: "object",
    additionalProperties: false,
    required: ["id", "name", "count", "share"],
    properties: {
      id: { type: "string", format: "uuid" },
      name: { type: "string", minLength: 1, maxLength: 80 },
      count: { type: "integer", minimum: 0 },
      share: { type: ["number", "null"], exclusiveMinimum: 0 },
      kinds: { type: "array", maxItems: 3, items: { type: "string", enum: ["a", "b"] } },
      anything: {},
    },
  });
});

test("a route is told with its parameters, body, answer and errors", () => {
  const tables = {
    things: {
      put: route({
        method: "PUT",
        path: "/things/:id/parts/:name",
        query: yup.object({ page: whole, word: yup.string() }),
        body: yup.object({ on: yup.boolean().required() }),
        answer: yup.object({ id: uuid }),
      }),
      gone: route({ method: "DELETE", path: "/things/:id/parts/:name" }),
    },
  };
  const { paths } = openApi(tables);
  expect(Object.keys(paths)).toEqual(["/things/{id}/parts/{name}"]);
  expect(paths["/things/{id}/parts/{name}"]).toMatchObject({
    put: {
      operationId: "thingsPut",
      parameters: [
        { name: "id", in: "path", required: true, schema: { format: "uuid" } },
        { name: "name", in: "path", required: true, schema: { type: "string" } },
        { name: "page", in: "query", required: true, schema: { type: "integer" } },
        { name: "word", in: "query", required: false },
      ],
      requestBody: { required: true },
      responses: { "200": {}, default: {} },
    },
    delete: { responses: { "204": { description: "Done" } } },
  });
});

test("every route is there, each under a name of its own", () => {
  const told = openApi(ROUTE_TABLES);
  const operations = Object.values(told.paths).flatMap((one) => Object.values(one));
  const routes = Object.values(ROUTE_TABLES).flatMap((table) => Object.values(table));
  expect(operations).toHaveLength(routes.length);
  const names = operations.map((one) => ("operationId" in one ? one.operationId : null));
  expect(new Set(names).size).toBe(names.length);
  // It is JSON: nothing of the code is left in it.
  expect(JSON.parse(JSON.stringify(told))).toEqual(told);
});

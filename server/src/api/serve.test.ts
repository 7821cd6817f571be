import type { Server } from "node:http";
import { route } from "@hindglance/contract/route";
import { shape, text, whole } from "@hindglance/contract/shapes";
import express from "express";
import * as yup from "yup";
import { errorHandler } from "./http";
import { Reply, serve } from "./serve";

const routes = {
  count: route({
    method: "POST",
    path: "/things/:id/counts",
    query: shape({ step: yup.number().integer().min(1).default(1) }),
    body: shape({ from: whole }),
    answer: shape({ id: text, to: whole }),
  }),
  begin: route({ method: "POST", path: "/runs", answer: shape({ runId: text }) }),
  remove: route({ method: "DELETE", path: "/things/:id" }),
  broken: route({ method: "GET", path: "/broken", answer: shape({ count: whole }) }),
};
const ID = "0a000000-0000-4000-8000-000000000001";
const removed: string[] = [];
const logged: unknown[] = [];
let server: Server;
let base: string;

async function ask(
  method: string,
  path: string,
  body?: unknown,
): Promise<{ status: number; body: unknown }> {
  const response = await fetch(base + path, {
    method,
    headers: { "content-type": "application/json" },
    ...(body === undefined ? {} : { body: JSON.stringify(body) }),
  });
  const sent = await response.text();
  return { status: response.status, body: sent === "" ? null : (JSON.parse(sent) as unknown) };
}

beforeAll(async () => {
  const app = express();
  app.use(express.json());
  serve(app, routes.count, async ({ params, query, body }) => ({
    id: params.id,
    to: body.from + query.step,
  }));
  serve(app, routes.begin, async () => new Reply(202, { runId: "r" }));
  serve(app, routes.remove, async ({ params }) => {
    removed.push(params.id);
    return null;
  });
  serve(app, routes.broken, async () => ({ count: 1.5 }));
  app.use(errorHandler((error) => logged.push(error)));
  await new Promise<void>((ok) => {
    server = app.listen(0, "127.0.0.1", () => ok());
  });
  const address = server.address();
  base = typeof address === "object" && address ? `http://127.0.0.1:${address.port}` : "";
  // Switched as it is under test.
  app.locals.checksAnswers = true;
});
afterAll(() => new Promise((ok) => server.close(ok)));

test("a request is checked before the work, its query read as what the route says", async () => {
  expect(await ask("POST", `/things/${ID}/counts?step=3`, { from: 4 })).toEqual({
    status: 200,
    body: { id: ID, to: 7 },
  });
  expect(await ask("POST", `/things/${ID}/counts`, { from: 4 })).toMatchObject({
    body: { to: 5 },
  });
});

test.each([
  ["/things/7/counts", { from: 1 }, 404, { code: "notFound" }],
  [`/things/${ID}/counts?step=0`, { from: 1 }, 422, { code: "invalid", field: "step" }],
  [`/things/${ID}/counts`, { from: "4" }, 422, { code: "invalid", field: "from" }],
  [`/things/${ID}/counts`, { from: 4, too: 1 }, 422, { code: "invalid" }],
])("what does not fit is refused with its field: %s %j", async (path, body, status, error) => {
  expect(await ask("POST", path, body)).toMatchObject({ status, body: { error } });
});

test("an answer can have a status of its own; nothing to answer is 204", async () => {
  expect(await ask("POST", "/runs")).toEqual({ status: 202, body: { runId: "r" } });
  expect(await ask("DELETE", `/things/${ID}`)).toEqual({ status: 204, body: null });
  expect(removed).toEqual([ID]);
});

test("an answer that breaks its route fails the request, and says which field", async () => {
  expect(await ask("GET", "/broken")).toMatchObject({ status: 500 });
  expect(String(logged.at(-1))).toMatch(/GET \/broken answers .*count must be an integer/);
});

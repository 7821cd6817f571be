import { readFileSync, readdirSync } from "node:fs";
import { join } from "node:path";
import { isRecord } from "@hindglance/core/values";
import * as yup from "yup";
import { changeMapRoutes } from "./changeMaps";
import { pinRoutes } from "./pins";
import { prepareStateSchema } from "./prepare";
import { addressOf, route } from "./route";
import { sceneRoutes } from "./scenes";
import { isDay } from "./shapes";
import { studyRoutes } from "./studies";
import { ROUTE_TABLES } from "./tables";

const ALL = Object.entries(ROUTE_TABLES).flatMap(([table, routes]) =>
  Object.entries(routes).map(([name, one]) => ({ name: `${table}.${name}`, ...one })),
);
const TABLES = new Set<unknown>(Object.values(ROUTE_TABLES));
const ID = "0a000000-0000-4000-8000-000000000001";

describe("the table of routes", () => {
  test("routes of every file of this house are in it", async () => {
    const files = readdirSync(__dirname).filter((name) => /^\w+\.ts$/.test(name));
    const missing: string[] = [];
    for (const file of files) {
      const written = readFileSync(join(__dirname, file), "utf8");
      const names = [...written.matchAll(/^export const (\w+Routes) = \{/gm)].map(
        ([, name]) => name!,
      );
      const found: unknown = names.length > 0 ? await import(`./${file}`) : {};
      missing.push(...names.filter((name) => !isRecord(found) || !TABLES.has(found[name])));
    }
    expect(missing).toEqual([]);
    expect(TABLES.size).toBeGreaterThan(20);
  });
  test("no two routes have one method and address", () => {
    const addresses = ALL.map(({ method, path }) => `${method} ${path.replace(/:\w+/g, ":")}`);
    expect(addresses.filter((address, k) => addresses.indexOf(address) !== k)).toEqual([]);
  });
  test("what is only asked for has no body, and what is taken away no answer of its own", () => {
    expect(ALL.filter(({ method, body }) => method === "GET" && body)).toEqual([]);
    expect(
      ALL.filter(({ method, answer }) => method === "DELETE" && answer).map(({ name }) => name),
    ).toEqual(["prepare.deleteOld"]);
  });
  test("what is left out when a route is written down is not there", () => {
    expect(route({ method: "GET", path: "/x/:id" })).toEqual({
      method: "GET",
      path: "/x/:id",
      query: null,
      body: null,
      answer: null,
    });
  });
});

describe("addresses", () => {
  test("parameters are filled in and written so that they cannot lead elsewhere", () => {
    expect(addressOf({ path: "/crs/:code" }, { params: { code: "../runs" } })).toBe(
      "/crs/..%2Fruns",
    );
    expect(addressOf({ path: "/a/:id/b/:number" }, { params: { id: ID, number: "3" } })).toBe(
      `/a/${ID}/b/3`,
    );
  });
  test("a query says what is given, nought and no too, and leaves out what is not", () => {
    expect(
      addressOf({ path: "/x" }, { query: { down: false, least: 0, most: undefined, sort: null } }),
    ).toBe("/x?down=false&least=0");
    expect(addressOf({ path: "/x" }, { query: {} })).toBe("/x");
  });
});

/** A schema as the class that checks. */
function checking(schema: unknown): yup.Schema<unknown> {
  if (!isSchema(schema)) {
    throw new TypeError("This route has no such schema");
  }
  return schema;
}
const isSchema = (value: unknown): value is yup.Schema<unknown> => value instanceof yup.Schema;

/** What a schema says of a value; null where it takes it. */
function refusal(schema: unknown, value: unknown): string | null {
  try {
    checking(schema).validateSync(value, { strict: true });
    return null;
  } catch (error) {
    return error instanceof yup.ValidationError ? `${error.path}: ${error.message}` : String(error);
  }
}

describe("bodies", () => {
  const pin = { name: "Gauge", lon: 1, lat: 2, expected: null };
  test.each([
    [pin, null],
    [{ ...pin, lon: 181 }, "lon: lon must be less than or equal to 180"],
    [{ ...pin, name: " " }, /^name: /],
    [{ ...pin, more: 1 }, /unspecified keys: more/],
    [
      { ...pin, expected: { sceneId: null, band: "VV", value: -18, tolerance: 0 } },
      "expected.tolerance: The tolerance must be more than 0",
    ],
  ])("a pin %j", (body, said) => {
    const found = refusal(pinRoutes.create.body, body);
    if (said instanceof RegExp) {
      expect(found).toMatch(said);
    } else {
      expect(found).toBe(said);
    }
  });
  test("a study needs a name and a hazard that is known", () => {
    const schema = studyRoutes.create.body;
    expect(refusal(schema, { name: "Vell", hazard: "flood" })).toBeNull();
    expect(refusal(schema, { name: "", hazard: "flood" })).toMatch(/Give the study a name/);
    expect(refusal(schema, { name: "Vell", hazard: "storm" })).toMatch(/^hazard: /);
    expect(refusal(schema, { name: "Vell", hazard: "fire", eventAt: "12 May" })).toMatch(
      /must be a date, or a time in UTC/,
    );
  });
  test("two scenes or more are joined", () => {
    expect(refusal(sceneRoutes.join.body, { sceneIds: [ID] })).toBe(
      "sceneIds: Pick two scenes or more",
    );
  });
  test("the chain of a family is checked by the settings of its steps", () => {
    const given = { chain: { looks: { on: true } }, exceptions: {}, heldOut: [] };
    expect(refusal(prepareStateSchema("radar"), given)).toMatch(/chain\./);
    expect(refusal(prepareStateSchema("radar"), { ...given, heldOut: ["x"] })).not.toBeNull();
  });
});

describe("queries", () => {
  const cast = (value: object) => checking(changeMapRoutes.outlines.query).validateSync(value);
  test("numbers with commas between them are lists; the rest has usual values", () => {
    expect(cast({ labels: "1,3", box: "-21.1,-43.7,-20.8,-43.5" })).toMatchObject({
      labels: [1, 3],
      box: [-21.1, -43.7, -20.8, -43.5],
      sort: "area",
      down: true,
      limit: 1500,
    });
  });
  test("a box of three numbers is refused", () => {
    expect(() => cast({ box: "1,2,3" })).toThrow("box takes west, south, east, north");
  });
});

test.each([
  ["2025-05-02", true],
  ["2024-02-29", true],
  ["2025-02-29", false],
  ["2025-5-2", false],
  ["2025-13-01", false],
])("%s is a day: %s", (text, is) => {
  expect(isDay(text)).toBe(is);
});

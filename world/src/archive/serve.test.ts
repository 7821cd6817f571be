import { mkdirSync, mkdtempSync, rmSync, utimesSync, writeFileSync } from "node:fs";
import type { Server } from "node:http";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { CATALOGUE, COLLECTIONS, type CatalogueItem } from "./catalogue";
import { serveArchive } from "./serve";

const RADAR = COLLECTIONS[0].id;
const ORBITS = COLLECTIONS[1].id;
const square = (west: number, south: number): [number, number][] => [
  [west, south],
  [west + 1, south],
  [west + 1, south + 1],
  [west, south + 1],
  [west, south],
];
const item = (
  id: string,
  ring: CatalogueItem["ring"],
  properties: Record<string, unknown>,
  collection: string = RADAR,
): CatalogueItem => ({
  collection,
  id,
  ring,
  properties,
  assets: {
    product: {
      file: join("archive", `${id}.zip`),
      type: "application/zip; charset=x",
      roles: ["data"],
      title: "Product",
      bytes: 5,
      sha256: "ab".repeat(32),
    },
  },
});
const ITEMS = [
  item("one", square(-21, -44), { datetime: "2025-05-02T18:00:00Z", pass: "ascending", gsd: 10 }),
  item("two", square(-21, -44), { datetime: "2025-05-14T18:00:00Z", pass: "descending", gsd: 20 }),
  item("far", square(10, 10), { datetime: "2025-05-14T18:00:00Z", pass: "ascending", gsd: 30 }),
  item(
    "orbit",
    null,
    {
      datetime: null,
      start_datetime: "2025-05-01T22:00:00Z",
      end_datetime: "2025-05-03T02:00:00Z",
    },
    ORBITS,
  ),
];

let folder: string;
let server: Server;
let url: string;
const write = (items: CatalogueItem[]) => {
  const path = join(folder, CATALOGUE);
  writeFileSync(path, JSON.stringify(items));
  return path;
};
beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), "hind-glance-archive-"));
  mkdirSync(join(folder, "archive"));
  write(ITEMS);
  writeFileSync(join(folder, "archive", "one.zip"), "PK\u0003\u0004x");
  writeFileSync(join(folder, "secret.txt"), "secret");
  ({ server, url } = await serveArchive(folder, "127.0.0.1", 0));
});
afterAll(() => {
  server.closeAllConnections();
  server.close();
  rmSync(folder, { recursive: true });
});

interface Page {
  features: { id: string; geometry: unknown; assets: Record<string, Record<string, unknown>> }[];
  numberMatched: number;
  links: { rel: string; href: string; method?: string; body?: object }[];
}
const read = async <T>(
  address: string,
  init?: RequestInit,
): Promise<{ status: number; body: T }> => {
  const response = await fetch(new URL(address, url), init);
  return { status: response.status, body: JSON.parse(await response.text()) as T };
};
const search = (asked: object) =>
  read<Page>("/search", {
    method: "POST",
    headers: { "content-type": "application/json" },
    body: JSON.stringify(asked),
  });
const found = async (asked: object) =>
  (await search(asked)).body.features.map(({ id }) => id).sort();

describe("what the archive says of itself", () => {
  test("its front page leads to collections and to the search by both methods", async () => {
    const { body } = await read<Page & { conformsTo: string[] }>("/");
    const leads = (rel: string) => body.links.filter((link) => link.rel === rel);
    expect(leads("data")[0]!.href).toBe(new URL("/collections", url).href);
    expect(leads("search").map(({ method }) => method)).toEqual(["GET", "POST"]);
    expect(body.conformsTo.some((one) => one.endsWith("item-search#query"))).toBe(true);
    const { body: conformance } = await read<{ conformsTo: string[] }>("/conformance");
    expect(conformance.conformsTo).toEqual(body.conformsTo);
  });

  test("every collection can be asked for by itself; one that is not there is not found", async () => {
    const { body } = await read<{ collections: { id: string }[] }>("/collections");
    expect(body.collections.map(({ id }) => id)).toEqual(COLLECTIONS.map(({ id }) => id));
    for (const { id } of COLLECTIONS) {
      expect((await read<{ id: string }>(`/collections/${id}`)).body.id).toBe(id);
    }
    expect((await read("/collections/nothing")).status).toBe(404);
  });

  test("an item tells its place, its file, and the file's size and checksum", async () => {
    const { body } = await read<Page["features"][number] & { bbox: number[] }>(
      `/collections/${RADAR}/items/one`,
    );
    expect(body.bbox).toEqual([-21, -44, -20, -43]);
    expect(body.geometry).toEqual({ type: "Polygon", coordinates: [square(-21, -44)] });
    expect(body.assets.product).toMatchObject({
      href: new URL(`/files/${RADAR}/one/product/one.zip`, url).href,
      "file:size": 5,
      "file:checksum": `1220${"ab".repeat(32)}`,
    });
    expect((await read(`/collections/${RADAR}/items/nothing`)).status).toBe(404);
    expect((await read(`/collections/${ORBITS}/items/one`)).status).toBe(404);
  });
});

describe("searching", () => {
  test.each<[string, object, string[]]>([
    ["everything", {}, ["far", "one", "orbit", "two"]],
    ["a collection", { collections: [ORBITS] }, ["orbit"]],
    ["several", { collections: [ORBITS, RADAR] }, ["far", "one", "orbit", "two"]],
    ["a box, its rim included", { bbox: [-20, -43, 0, 0] }, ["one", "two"]],
    ["a box beside it", { bbox: [-19.9, -43, 0, 0] }, []],
    ["a moment", { datetime: "2025-05-02T18:00:00Z" }, ["one", "orbit"]],
    ["from a moment on", { datetime: "2025-05-03T02:00:00Z/.." }, ["far", "orbit", "two"]],
    ["up to a moment", { datetime: "../2025-05-02T00:00:00Z" }, ["orbit"]],
    ["equal", { query: { pass: { eq: "ascending" } } }, ["far", "one"]],
    ["unequal", { query: { pass: { neq: "ascending" } } }, ["orbit", "two"]],
    ["one of a list", { query: { pass: { in: ["descending"] } } }, ["two"]],
    ["at least", { query: { gsd: { gte: 20 } } }, ["far", "two"]],
    ["between", { query: { gsd: { gt: 10, lt: 30 } } }, ["two"]],
    ["at most, in a collection", { query: { gsd: { lte: 10 } }, collections: [RADAR] }, ["one"]],
    ["by what nobody knows", { query: { gsd: { near: 10 } } }, []],
  ])("for %s", async (_what, asked, ids) => {
    expect(await found(asked)).toEqual(ids);
  });

  test("by address means the same as by body", async () => {
    const query = new URLSearchParams({
      collections: RADAR,
      bbox: "-21.5,-44.5,-20.5,-43.5",
      query: JSON.stringify({ pass: { eq: "ascending" } }),
    });
    const { body } = await read<Page>(`/search?${query}`);
    expect(body.features.map(({ id }) => id)).toEqual(["one"]);
    const { body: all } = await read<Page>(`/collections/${RADAR}/items?limit=50`);
    expect(all.numberMatched).toBe(3);
  });

  test("pages lead on to each other by body until all was seen, none twice", async () => {
    const seen: string[] = [];
    let asked: object | null = { collections: [RADAR], limit: 2 };
    for (let pages = 0; asked && pages < 5; pages++) {
      const { body }: { body: Page } = await search(asked);
      expect(body.numberMatched).toBe(3);
      seen.push(...body.features.map(({ id }) => id));
      asked = body.links.find(({ rel }) => rel === "next")?.body ?? null;
    }
    expect(seen).toEqual(["one", "two", "far"]);
  });

  test("and by address", async () => {
    const { body } = await read<Page>(`/search?limit=3&collections=${RADAR},${ORBITS}`);
    const next = body.links.find(({ rel }) => rel === "next")!;
    const { body: rest } = await read<Page>(next.href);
    expect(rest.features.map(({ id }) => id)).toEqual(["orbit"]);
    expect(rest.links).toEqual([]);
  });
});

describe("files", () => {
  test("are given as they are, under the type that their item names", async () => {
    const response = await fetch(new URL(`/files/${RADAR}/one/product/one.zip`, url));
    expect(response.headers.get("content-type")).toMatch(/^application\/zip/);
    expect(await response.text()).toBe("PK\u0003\u0004x");
  });

  test("in parts where a part is asked for", async () => {
    const response = await fetch(new URL(`/files/${RADAR}/one/product/one.zip`, url), {
      headers: { range: "bytes=1-2" },
    });
    expect(response.status).toBe(206);
    expect(await response.text()).toBe("K\u0003");
  });

  test.each(["one/other/one.zip", "nothing/product/one.zip", "one/..%2F..%2Fsecret.txt/x"])(
    "that no item names, as %s, are not given",
    async (place) => {
      expect((await fetch(new URL(`/files/${RADAR}/${place}`, url))).status).toBe(404);
    },
  );
});

test("a list that is written anew is read anew", async () => {
  const path = write(ITEMS.slice(0, 1));
  utimesSync(path, new Date(), new Date(Date.now() + 5000));
  expect(await found({})).toEqual(["one"]);
  utimesSync(write(ITEMS), new Date(), new Date(Date.now() + 9000));
  expect(await found({})).toHaveLength(4);
});

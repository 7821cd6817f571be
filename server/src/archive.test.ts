import { createHash } from "node:crypto";
import { createServer, type IncomingMessage, type Server, type ServerResponse } from "node:http";
import type { AddressInfo } from "node:net";
import { orbitText, safeFiles, zipOf } from "@hindglance/formats/testing/buildSafe";
import { buildTiff } from "@hindglance/formats/testing/buildTiff";
import { elevationTiff, X0, Y0 } from "./testing/pairs";
import { TestServer, bodyIn } from "./testing/harness";
import { until } from "./testing/until";

/** An archive that can be made slow, broken or a liar for each question. */
const files = new Map<string, Uint8Array>();
let archive: Server;
let base: string;
let testServer: TestServer;
let study: string;
let trouble: ((req: IncomingMessage, res: ServerResponse) => boolean) | null = null;
let items: Record<string, unknown>[] = [];
const CORE = "https://api.stacspec.org/v1.0.0";
const sha = (b: Uint8Array) => `1220${createHash("sha256").update(b).digest("hex")}`;
const ring = [
  [-22, -44],
  [-20, -44],
  [-20, -43],
  [-22, -43],
  [-22, -44],
];
function item(
  collection: string,
  id: string,
  file: string,
  type: string,
  properties: object,
  geometry: object | null = { type: "Polygon", coordinates: [ring] },
  more: object = {},
): Record<string, unknown> {
  const b = files.get(file)!;
  return {
    type: "Feature",
    id,
    collection,
    geometry,
    properties: { datetime: "2025-05-02T18:41:10Z", title: id, ...properties },
    assets: {
      data: {
        href: `/files/${file}`,
        type,
        roles: ["data"],
        "file:size": b.length,
        "file:checksum": sha(b),
        ...more,
      },
    },
  };
}

beforeAll(async () => {
  archive = createServer((req, res) => {
    if (trouble?.(req, res)) {
      return;
    }
    const json = (value: unknown) => {
      res.setHeader("content-type", "application/json");
      res.end(JSON.stringify(value));
    };
    const path = new URL(req.url!, base).pathname;
    if (path === "/") {
      json({
        title: "Test archive",
        conformsTo: [`${CORE}/item-search#query`],
        links: [
          { rel: "data", href: `${base}collections` },
          { rel: "search", method: "POST", href: `${base}search` },
        ],
      });
    } else if (path === "/collections") {
      json({
        collections: [
          { id: "grd", keywords: ["SAR"] },
          { id: "orbits", keywords: ["orbit"] },
          { id: "heights", keywords: ["elevation"] },
        ],
      });
    } else if (path === "/search") {
      let body = "";
      req
        .on("data", (chunk) => {
          body += chunk;
        })
        .on("end", () => {
          const query = bodyIn<{ collections: string[] }>(body);
          json({
            features: items.filter((i) => query.collections.includes(String(i.collection))),
            links: [],
          });
        });
    } else if (path.startsWith("/collections/")) {
      const i = items.find((x) => path.endsWith(`/items/${String(x.id)}`));
      if (i) {
        json(i);
      } else {
        res.statusCode = 404;
        res.end();
      }
    } else if (files.has(path.slice(7))) {
      res.end(Buffer.from(files.get(path.slice(7))!));
    } else {
      res.statusCode = 404;
      res.end();
    }
  });
  await new Promise<void>((ok) => archive.listen(0, "127.0.0.1", ok));
  base = `http://127.0.0.1:${(archive.address() as AddressInfo).port}/`;
  testServer = await TestServer.start({ env: { ARCHIVE_URL: base, ARCHIVE_TIMEOUT_S: "1.2" } });
  study = (
    await testServer.call<{ id: string }>("POST", "/studies", { name: "Archive", hazard: "flood" })
  ).body.id;
  const product = safeFiles();
  for (const k of [...product.keys()].filter((x) => x.includes("measurement/"))) {
    product.set(
      k,
      buildTiff({ width: 30, height: 20, bits: 16, format: 1, value: (c, r) => 100 + c + r }),
    );
  }
  files.set("p.zip", await zipOf(product));
  files.set("o.EOF", Buffer.from(orbitText()));
  files.set("west.tif", elevationTiff(60, 40));
  items = [
    item("grd", "one", "p.zip", "application/zip", {
      "sat:orbit_state": "descending",
      "sar:polarizations": ["VV", "VH"],
    }),
    item("grd", "rising", "p.zip", "application/zip", { "sat:orbit_state": "ascending" }),
    item(
      "orbits",
      "orbit",
      "o.EOF",
      "application/xml",
      { start_datetime: "2025-05-02T00:00:00Z", end_datetime: "2025-05-03T00:00:00Z" },
      null,
    ),
    item("heights", "tile", "west.tif", "image/tiff", {}),
  ];
});
afterAll(async () => {
  await testServer.stop();
  archive.closeAllConnections();
  await new Promise((ok) => archive.close(ok));
});
afterEach(() => {
  trouble = null;
});

const search = (body: object) =>
  testServer.call<{ items: { id: string }[]; leftOut: number; error?: { message: string } }>(
    "POST",
    `/studies/${study}/archive/search`,
    { kind: "radar", ...body },
  );
const fetchItems = async (kind: string, collection: string, id: string) => {
  const r = await testServer.call<{ runId: string; error?: { message: string } }>(
    "POST",
    `/studies/${study}/archive/fetch`,
    { kind, items: [{ collection, id }] },
  );
  return r.status === 202
    ? testServer.ended(r.body.runId)
    : { state: "refused", error: { message: r.body.error!.message } };
};
const nothingStored = async () => {
  expect((await testServer.query<{ n: number }>("SELECT count(*)::int AS n FROM blob"))[0]!.n).toBe(
    0,
  );
  expect(
    (await testServer.query<{ n: number }>("SELECT count(*)::int AS n FROM blob_chunk"))[0]!.n,
  ).toBe(0);
};
const onFile = (name: string, act: (res: ServerResponse) => void) => {
  trouble = (req, res) => {
    if (!req.url!.endsWith(name)) {
      return false;
    }
    act(res);
    return true;
  };
};

test("says what the archive has", async () => {
  expect((await testServer.call("GET", "/archive")).body).toMatchObject({
    set: true,
    problem: null,
    title: "Test archive",
    kinds: ["radar", "orbit", "elevation"],
  });
});
test("results that do not answer the question are not shown, and counted", async () => {
  expect((await search({ anywhere: true })).body.items.map((i) => i.id)).toEqual(["one", "rising"]);
  // This archive does not filter by pass: it was asked to, and what does not fit is dropped here.
  expect((await search({ anywhere: true, pass: "ascending" })).body).toMatchObject({
    items: [{ id: "rising" }],
    leftOut: 1,
  });
  expect((await search({ anywhere: true, from: "2026-01-01" })).body.items).toEqual([]);
  expect((await search({ from: "2025-05-03", to: "2025-05-02" })).body.error!.message).toMatch(
    /ends before it begins/,
  );
  expect((await search({ from: "2025-02-31" })).status).toBe(422);
});
test("an orbit file, elevation and a product are fetched, checked, and taken in as if they had been sent", async () => {
  expect((await fetchItems("orbit", "orbits", "orbit")).state).toBe("done");
  expect((await testServer.call<unknown[]>("GET", `/studies/${study}/orbits`)).body).toHaveLength(
    1,
  );
  expect((await fetchItems("elevation", "heights", "tile")).state).toBe("done");
  expect((await fetchItems("radar", "grd", "one")).state).toBe("done");
  const scenes = (
    await testServer.call<{ kind: string; detail: { archive: unknown } }[]>(
      "GET",
      `/studies/${study}/scenes`,
    )
  ).body;
  expect(scenes.map((scene) => scene.kind).sort()).toEqual(["elevation", "radar"]);
  for (const r of (await testServer.call<{ id: string; title: string }[]>("GET", "/runs")).body) {
    await testServer.ended(r.id);
  }
  const ledger = (
    await testServer.call<{ what: string; detail: { items: { sha256: string }[] } }[]>(
      "GET",
      `/studies/${study}/ledger`,
    )
  ).body.filter((level) => level.what === "Fetched from the archive");
  expect(ledger).toHaveLength(3);
  expect((await search({ anywhere: true })).body.items[0]).toMatchObject({ id: "one", have: true });
  await nothingStored();
});

describe("an archive that is", () => {
  test.each([
    [
      "slow to answer",
      /has not answered for 1 s/,
      () => {
        trouble = () => true;
      },
    ],
    [
      "broken",
      /status 500/,
      () => {
        trouble = (_r, res) => {
          res.statusCode = 500;
          res.end();
          return true;
        };
      },
    ],
    [
      "talking nonsense",
      /not JSON/,
      () => {
        trouble = (_r, res) => {
          res.end("<html>");
          return true;
        };
      },
    ],
    [
      "sending elsewhere",
      /points to localhost:1,/,
      () => {
        trouble = (_r, res) => {
          res.statusCode = 302;
          res.setHeader("location", "http://localhost:1/x");
          res.end();
          return true;
        };
      },
    ],
    [
      "going round in circles",
      /without end/,
      () => {
        trouble = (_r, res) => {
          res.statusCode = 302;
          res.setHeader("location", "/");
          res.end();
          return true;
        };
      },
    ],
  ])("%s is told in words", async (_n, message, act) => {
    act();
    const r = await search({ anywhere: true });
    expect([r.status, r.body.error!.message]).toEqual([502, expect.stringMatching(message)]);
  });
  test.each([
    [
      "falls silent in the middle",
      /stopped sending/,
      () =>
        onFile("p.zip", (res) => {
          res.setHeader("content-length", files.get("p.zip")!.length);
          res.write(Buffer.from(files.get("p.zip")!.slice(0, 600)));
        }),
    ],
    [
      "breaks off",
      /broke off/,
      () =>
        onFile("p.zip", (res) => {
          res.setHeader("content-length", files.get("p.zip")!.length);
          res.write(Buffer.from(files.get("p.zip")!.slice(0, 600)), () => res.destroy());
        }),
    ],
    [
      "sends less than it lists",
      /lists p.zip with \d+ bytes, but sends 700/,
      () => onFile("p.zip", (res) => res.end(Buffer.from(files.get("p.zip")!.slice(0, 700)))),
    ],
    [
      "sends without end",
      /sends more of p.zip than the/,
      () =>
        onFile("p.zip", (res) => {
          res.write(Buffer.from(files.get("p.zip")!));
          const timeout = setInterval(() => {
            res.write(Buffer.alloc(50_000));
          }, 5);
          res.on("close", () => clearInterval(timeout));
        }),
    ],
    [
      "sends a page instead of a zip",
      /should send a zip for p.zip/,
      () =>
        onFile("p.zip", (res) =>
          res.end(Buffer.from(`<html>${" ".repeat(files.get("p.zip")!.length - 6)}`)),
        ),
    ],
    [
      "sends other bytes of the same size",
      /checksum of p.zip/,
      () =>
        onFile("p.zip", (res) => {
          const bytes = Buffer.from(files.get("p.zip")!);
          bytes[bytes.length >> 1]! ^= 1;
          res.end(bytes);
        }),
    ],
    [
      "lists what it does not have",
      /lists p.zip but does not have it/,
      () =>
        onFile("p.zip", (res) => {
          res.statusCode = 404;
          res.end();
        }),
    ],
    [
      "lists files on another host",
      /points to elsewhere.invalid/,
      () => {
        items[1] = item("grd", "rising", "p.zip", "application/zip", {}, undefined, {
          href: "http://elsewhere.invalid/p.zip",
        });
      },
    ],
  ])(
    "and one that %s: a clear error, and nothing is half stored",
    async (_n, message, act) => {
      act();
      const r = await fetchItems("radar", "grd", "rising");
      expect([r.state, r.error!.message]).toEqual(["failed", expect.stringMatching(message)]);
      await nothingStored();
      expect((await testServer.call("GET", "/health")).status).toBe(200);
    },
    20_000,
  );
  test("an item of another kind, or one that is gone, is refused", async () => {
    expect((await fetchItems("elevation", "grd", "one")).error!.message).toMatch(
      /is not elevation/,
    );
    expect((await fetchItems("radar", "grd", "nowhere")).error!.message).toMatch(
      /no longer has this/,
    );
  });
});

test("a standing search fetches what appears over the study area, once; what is wrong is told once", async () => {
  const area = { type: "Polygon", coordinates: [ring] };
  const made = await testServer.call<{ id: string }>("POST", "/studies", {
    ...{ name: "Waiting", hazard: "flood" },
  });
  const { id } = made.body;
  const give = (body: object) =>
    testServer.call<{ id: string; error: { field: string } }>(
      "POST",
      `/studies/${id}/standing-searches`,
      { pass: "descending", polarisation: null, everyMinutes: 5, mostAtOnce: 1, ...body },
    );
  expect((await give({})).body.error.field).toBe("studyArea");
  await testServer.call("PATCH", `/studies/${id}`, { studyArea: area });
  expect((await give({ everyMinutes: 1 })).body.error.field).toBe("everyMinutes");
  const former = items;
  const appears = new Date(Date.now() + 3600_000).toISOString();
  const product = item("grd", "new", "p.zip", "application/zip", {
    ...{ datetime: appears, "sat:orbit_state": "descending", "sar:polarizations": ["VV"] },
  });
  items = [...former, product];
  try {
    expect((await give({})).status).toBe(201);
    type Watched = { folder: null; searches: { id: string; fetched: number; problem: string }[] };
    const watched = async () =>
      (await testServer.call<Watched>("GET", `/studies/${id}/watched`)).body.searches[0]!;
    await until(async () => (await watched()).fetched === 1);
    await testServer.quiet();
    const runs = (
      await testServer.call<{ kind: string }[]>("GET", `/runs?study=${id}`)
    ).body.filter(({ kind }) => kind === "fetchItems");
    expect(runs).toHaveLength(1);
    type Told = { tone: string; text: string; studyId: string; study: string }[];
    const news = async () => (await testServer.call<Told>("GET", "/news")).body;
    expect((await news())[0]).toMatchObject({ studyId: id, study: "Waiting", tone: "said" });
    // It is due again, and the archive is broken: told once, kept beside the search.
    trouble = (_req, res) => {
      res.statusCode = 500;
      res.end();
      return true;
    };
    for (let k = 0; k < 2; k++) {
      await testServer.query("UPDATE standing_search SET looked_at = now() - interval '1 hour'");
      await until(async () => !!(await watched()).problem);
      await testServer.query("UPDATE standing_search SET looked_at = now() - interval '1 hour'");
      await until(async () => {
        const [row] = await testServer.query<{ fresh: boolean }>(
          "SELECT looked_at > now() - interval '1 minute' AS fresh FROM standing_search",
        );
        return row!.fresh;
      });
    }
    expect((await news()).filter(({ tone }) => tone === "wrong")).toHaveLength(1);
    const { id: search } = await watched();
    expect((await testServer.call("DELETE", `/standing-searches/${search}`)).status).toBe(204);
    expect((await testServer.call("DELETE", `/standing-searches/${search}`)).status).toBe(404);
  } finally {
    trouble = null;
    items = former;
  }
});

test("without an archive the page hears so, and fetching is refused", async () => {
  const bare = await TestServer.start({ env: { ARCHIVE_URL: "" } });
  try {
    expect((await bare.call("GET", "/archive")).body).toMatchObject({ set: false });
    const id = (await bare.call<{ id: string }>("POST", "/studies", { name: "x", hazard: "flood" }))
      .body.id;
    const r = await bare.call<{ error: { code: string } }>(
      "POST",
      `/studies/${id}/archive/search`,
      {
        kind: "radar",
      },
    );
    expect([r.status, r.body.error.code]).toEqual([503, "noArchive"]);
  } finally {
    await bare.stop();
  }
});

test("tiles that are sent together join: neighbours that do not fit are refused, those that do become one scene with the values of both", async () => {
  const two = (
    await testServer.call<{ id: string }>("POST", "/studies", { name: "Tiles", hazard: "flood" })
  ).body.id;
  const take = async (name: string, bytes: Uint8Array) => {
    const body = (
      await testServer.call<{ id: string }>("POST", `/studies/${two}/uploads?name=${name}`, bytes)
    ).body;
    const r = (
      await testServer.call<{ scene: { id: string }; runId: string }>(
        "POST",
        `/studies/${two}/scenes`,
        {
          uploadId: body.id,
          kind: "elevation",
          vertical: "egm96",
        },
      )
    ).body;
    await testServer.ended(r.runId);
    return r.scene.id;
  };
  const west = await take("w.tif", elevationTiff(60, 40));
  const east = await take("e.tif", elevationTiff(60, 40, X0 + 32 * 40));
  const off = await take("o.tif", elevationTiff(60, 40, X0 + 13));
  expect(
    (
      await testServer.call<{ error: { message: string } }>("POST", `/studies/${two}/scenes/join`, {
        sceneIds: [west, off],
      })
    ).body.error.message,
  ).toMatch(/cells of o do not fall on those of w/);
  const body = (
    await testServer.call<{ scene: { id: string; name: string }; runId: string }>(
      "POST",
      `/studies/${two}/scenes/join`,
      { sceneIds: [west, east] },
    )
  ).body;
  expect((await testServer.ended(body.runId)).state).toBe("done");
  const scenes = (
    await testServer.call<
      {
        id: string;
        name: string;
        info: { grid: { width: number }; bands: { vertical: string; range: number[] }[] };
      }[]
    >("GET", `/studies/${two}/scenes`)
  ).body;
  const joined = scenes.find((scene) => scene.id === body.scene.id)!;
  expect(scenes.map((scene) => scene.id).sort()).toEqual([joined.id, off].sort());
  expect([joined.name, joined.info.grid.width, joined.info.bands[0]!.vertical]).toEqual([
    "w (2 tiles)",
    64,
    "egm96",
  ]);
  // A pin in the eastern tile: the plane rises half a metre a column, from the tile's own first
  // column.
  const { transformer, LONLAT, utm } = await import("@hindglance/core/geodesy/crs");
  const place = transformer(utm(27, true), LONLAT)(X0 + (32 + 10.5) * 40, Y0 - 5.5 * 40);
  const values = (
    await testServer.call<{ scenes: { sceneId: string; values: number[][] }[]; heights: number[] }>(
      "POST",
      `/studies/${two}/values`,
      { places: [place] },
    )
  ).body;
  expect(values.scenes.find((scene) => scene.sceneId === joined.id)!.values[0]![0]).toBeCloseTo(
    5,
    3,
  );
  const pin = (
    await testServer.call<{ id: string }>("POST", `/studies/${two}/pins`, {
      name: "Here",
      lon: place[0],
      lat: place[1],
    })
  ).body;
  expect(
    (
      await testServer.call<{ expected: object }>("PATCH", `/pins/${pin.id}`, {
        expected: { sceneId: null, band: "elevation", value: 5, tolerance: 0.5 },
      })
    ).body.expected,
  ).toEqual({ sceneId: null, band: "elevation", value: 5, tolerance: 0.5 });
  expect(
    (
      await testServer.call("PATCH", `/pins/${pin.id}`, {
        expected: { sceneId: null, band: "elevation", value: 5, tolerance: 0 },
      })
    ).status,
  ).toBe(422);
  expect((await testServer.call("DELETE", `/pins/${pin.id}`)).status).toBe(204);
});

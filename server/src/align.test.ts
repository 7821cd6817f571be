import { encode } from "fast-png";
import { changesBetween } from "@hindglance/contract/changes";
import type { Alignment, Levelling, OffsetPlace } from "@hindglance/core/align/alignment";
import { pathFunction } from "@hindglance/core/align/mapping";
import { UTM27S_KEYS, buildTiff } from "@hindglance/formats/testing/buildTiff";
import type { Scene } from "./db/scenes";
import { TestServer } from "./testing/harness";

let testServer: TestServer;
let study: string;
beforeAll(async () => {
  testServer = await TestServer.start();
  study = (
    await testServer.call<{ id: string }>("POST", "/studies", { name: "Align", hazard: "other" })
  ).body.id;
});
afterAll(() => testServer.stop());

const width = 260;
const height = 220;
const waves = Array.from({ length: 30 }, (_v, k) => ({
  kx: Math.cos(k * 2.4) * 0.9 ** (k % 9) * 0.9,
  ky: Math.sin(k * 2.4) * 0.9 ** (k % 9) * 0.9,
  p: k * 1.7,
}));
const ground = (x: number, y: number) =>
  0.3 + waves.reduce((t, w) => t + 0.02 * Math.cos(w.kx * x + w.ky * y + w.p), 0);
const DX = 2.35;
const DY = -1.6;
async function scene(
  name: string,
  value: (c: number, r: number) => number,
  more: object,
  day: string,
): Promise<Scene> {
  const body = (
    await testServer.call<{ id: string }>(
      "POST",
      `/studies/${study}/uploads?name=${name}`,
      buildTiff({
        width,
        height,
        bits: 32,
        format: 3,
        value,
        extra: [
          ...UTM27S_KEYS,
          [33550, 12, [20, 20, 0]],
          [33922, 12, [0, 0, 0, 500000, 5170000, 0]],
        ],
      }),
    )
  ).body;
  const r = await testServer.call<{ scene: Scene; runId: string }>(
    "POST",
    `/studies/${study}/scenes`,
    {
      uploadId: body.id,
      kind: "other",
      acquiredAt: `${day}T00:00:00Z`,
      ...more,
    },
  );
  expect((await testServer.ended(r.body.runId)).error).toBeNull();
  return (await testServer.call<Scene[]>("GET", `/studies/${study}/scenes`)).body.find(
    (x) => x.id === r.body.scene.id,
  )!;
}
interface Row {
  sceneId: string;
  raw: { hash: string } | null;
  aligned: { hash: string; info: { grid: { width: number } } } | null;
  problem: string | null;
  picture: boolean;
}
const rows = async () => (await testServer.call<Row[]>("GET", `/studies/${study}/align`)).body;
const valueAt = async (hash: string, c: number, r: number) =>
  new Float32Array(
    Uint8Array.from((await testServer.call("GET", `/nodes/${hash}/tiles/0/0/0`)).bytes).buffer,
  )[r * width + c]!;

let before: Scene;
let after: Scene;
let flat: Scene;
let band: string;
beforeAll(async () => {
  before = await scene("a.tif", (c, r) => ground(c, r), {}, "2025-01-01");
  after = await scene("b.tif", (c, r) => 1.2 * ground(c - DX, r - DY) + 0.05, {}, "2025-02-01");
  flat = await scene("c.tif", () => 0.3, {}, "2025-03-01");
  band = before.info!.bands[0]!.name;
});

test("a known offset is measured within a tenth of a cell; once taken, the date lies on its reference", async () => {
  const ask = await testServer.call<{ place: OffsetPlace }>(
    "POST",
    `/studies/${study}/align/offset`,
    {
      referenceId: before.id,
      sceneId: after.id,
      band,
      model: "affine",
    },
  );
  expect(ask.status).toBe(200);
  const { place } = ask.body;
  const path = pathFunction(place.path);
  for (const [x, y] of [
    [500400, 5169600],
    [504800, 5166000],
  ] as const) {
    const [px, py] = path(x, y);
    expect(Math.abs((px - x) / 20 - DX)).toBeLessThan(0.1);
    expect(Math.abs((y - py) / 20 - DY)).toBeLessThan(0.1);
  }
  expect([place.cellM, place.matches.length > 10, place.rmseCells < 0.2]).toEqual([20, true, true]);
  // Measured is not yet taken.
  const was = (await rows()).find((row) => row.sceneId === after.id)!;
  expect(was.aligned!.hash).toBe(was.raw!.hash);
  expect(
    (await testServer.call("PUT", `/studies/${study}/align/${after.id}`, { place })).status,
  ).toBe(200);
  const is = (await rows()).find((row) => row.sceneId === after.id)!;
  const got = await valueAt(is.aligned!.hash, 100, 90);
  expect(is.raw!.hash).toBe(was.raw!.hash);
  expect(Math.abs(got - (1.2 * ground(100, 90) + 0.05))).toBeLessThan(0.02);
  const side = (
    await testServer.call<{ sceneId: string; node: { step: string } }[]>(
      "GET",
      `/studies/${study}/compare/sides`,
    )
  ).body.find((x) => x.sceneId === after.id)!;
  expect(side.node.step).toBe("grid.warp");
  expect(
    (await testServer.call<{ what: string }[]>("GET", `/studies/${study}/ledger`)).body.at(-1)!
      .what,
  ).toBe("Date aligned");
});
test("check: both dates on one grid, in one picture, and their edges", async () => {
  const ask = (aligned: boolean) =>
    testServer.call<{
      both: { hash: string; info: { bands: { name: string }[] } };
      edges: { reference: { hash: string }; date: { hash: string } };
    }>("POST", `/studies/${study}/align/check`, {
      referenceId: before.id,
      sceneId: after.id,
      band,
      aligned,
    });
  const was = (await ask(false)).body;
  const is = (await ask(true)).body;
  const cells = async (hash: string) =>
    new Float32Array(
      Uint8Array.from((await testServer.call("GET", `/nodes/${hash}/tiles/0/0/0`)).bytes).buffer,
    );
  expect(is.both.info.bands.map((b) => b.name)).toEqual(["reference", "date"]);
  const edges = await cells(is.edges.reference.hash);
  const slope = (fraction: (c: number, r: number) => number, c: number, r: number) =>
    Math.hypot(
      ...([0, 1].map(
        (k) =>
          [-1, 0, 1].reduce(
            (t, j) =>
              t +
              (j ? 1 : 2) *
                (k
                  ? fraction(c + j, r + 1) - fraction(c + j, r - 1)
                  : fraction(c + 1, r + j) - fraction(c - 1, r + j)),
            0,
          ) / 8,
      ) as [number, number]),
    );
  for (const [c, r] of [
    [50, 40],
    [200, 150],
  ] as const) {
    expect(edges[r * width + c]).toBeCloseTo(slope(ground, c, r), 5);
  }
  // Edges of the aligned date lie on those of the reference, those of the date as it came do not.
  const [moved, asItWas] = [await cells(is.edges.date.hash), await cells(was.edges.date.hash)];
  const off = (a: Float32Array) => {
    let t = 0;
    let n = 0;
    for (let r = 20; r < 200; r += 7) {
      for (let c = 20; c < 240; c += 7) {
        t += Math.abs(a[r * width + c]! / 1.2 - edges[r * width + c]!);
        n++;
      }
    }
    return t / n;
  };
  expect(off(moved)).toBeLessThan(0.3 * off(asItWas));
});
test("two people who change different things of a date keep both; of the same thing the second is told", async () => {
  const path = `/studies/${study}/align/${after.id}`;
  const alignment = async (): Promise<Alignment> =>
    (await testServer.call<{ align: Record<string, Alignment> }>("GET", `/studies/${study}`)).body
      .align[after.id]!;
  const change = (was: Alignment, now: Alignment) =>
    testServer.call<Alignment & { error: { code: string } }>("PATCH", path, {
      changes: changesBetween(was, now),
    });
  const seen = await alignment();
  const level: Levelling = {
    referenceId: before.id,
    method: "histogram",
    bands: [{ band: "VV", multiply: 2, add: 0 }],
    cells: 400,
  };
  // One takes the place away, the other, who still sees it, sets the level.
  expect((await change(seen, { ...seen, place: null })).status).toBe(200);
  const other = await change(seen, { ...seen, level });
  expect(other.body).toEqual({ place: null, level });
  // The same thing, as it was seen before somebody else changed it.
  const late = await change(seen, { ...seen, place: { ...seen.place!, referenceId: after.id } });
  expect([late.status, late.body.error.code]).toEqual([409, "changedElsewhere"]);
  expect(await alignment()).toEqual({ place: null, level });
  // What would not be taken as a whole is not taken as a change either.
  const wrong = await change(
    { place: null, level },
    { place: null, level: { ...level, referenceId: after.id } },
  );
  expect(wrong.status).toBe(422);
  expect((await testServer.call("PUT", path, seen)).status).toBe(200);
});

test("levelling finds the slope and offset of the later date, in its aligned place", async () => {
  const r = await testServer.call<{
    level: { bands: { multiply: number; add: number }[] };
    fit: {
      cells: number;
      bands: { correlation: number; rmseBefore: number; rmseAfter: number }[];
    };
  }>("POST", `/studies/${study}/align/level`, {
    referenceId: before.id,
    sceneId: after.id,
    method: "unchanged",
  });
  const [b] = r.body.level.bands;
  const [fraction] = r.body.fit.bands;
  expect(Math.abs(b!.multiply - 1 / 1.2)).toBeLessThan(0.02);
  expect(Math.abs(b!.add + 0.05 / 1.2)).toBeLessThan(0.01);
  expect(fraction!.rmseAfter).toBeLessThan(0.2 * fraction!.rmseBefore);
  const place = (
    await testServer.call<{ align: Record<string, { place: OffsetPlace }> }>(
      "GET",
      `/studies/${study}`,
    )
  ).body.align[after.id]!.place;
  expect(
    (
      await testServer.call("PUT", `/studies/${study}/align/${after.id}`, {
        place,
        level: r.body.level,
      })
    ).status,
  ).toBe(200);
  expect(
    Math.abs(
      (await valueAt(
        (await rows()).find((row) => row.sceneId === after.id)!.aligned!.hash,
        60,
        70,
      )) - ground(60, 70),
    ),
  ).toBeLessThan(0.02);
});
test("a pair without texture, a date with itself, a strange band and a broken transform are refused in words", async () => {
  const ask = (more: object) =>
    testServer.call<{ error: { message: string; field: string } }>(
      "POST",
      `/studies/${study}/align/offset`,
      { referenceId: before.id, sceneId: flat.id, band, model: "shift", ...more },
    );
  expect((await ask({})).body.error.message).toMatch(/not enough texture/);
  expect((await ask({ sceneId: before.id })).body.error.message).toMatch(/with itself/);
  expect((await ask({ band: "no such" })).body.error.field).toBe("band");
  expect(
    (
      await testServer.call<{ error: { field: string } }>(
        "PUT",
        `/studies/${study}/align/${flat.id}`,
        {
          place: {
            kind: "points",
            referenceId: flat.id,
            model: "polynomial1",
            smoothing: 0,
            kernel: "bilinear",
            points: [],
          },
        },
      )
    ).body.error.field,
  ).toBe("place.referenceId");
  expect(
    (
      await testServer.call("PUT", `/studies/${study}/align/${flat.id}`, {
        place: { kind: "offset", path: 3 },
      })
    ).status,
  ).toBe(422);
  expect(
    (
      await testServer.call<{ error: { message: string } }>(
        "PUT",
        `/studies/${study}/align/${flat.id}`,
        {
          place: {
            kind: "points",
            referenceId: before.id,
            model: "polynomial1",
            smoothing: 0,
            kernel: "bilinear",
            points: [0, 1, 2].map((k) => ({
              id: `p${k}`,
              name: "",
              from: [k, k],
              to: [500000 + k, 5170000 + k],
              on: true,
            })),
          },
        },
      )
    ).body.error.message,
  ).toMatch(/one line/);
});
test("a picture without position lies on the reference's grid once it has points", async () => {
  const png = encode({
    width: 60,
    height: 50,
    channels: 1,
    data: Uint8Array.from({ length: 3000 }, (_v, i) => 2 * (i % 60) + Math.floor(i / 60)),
  });
  const body = (
    await testServer.call<{ id: string }>("POST", `/studies/${study}/uploads?name=sheet.png`, png)
  ).body;
  const r = await testServer.call<{ scene: Scene; runId: string }>(
    "POST",
    `/studies/${study}/scenes`,
    {
      uploadId: body.id,
      kind: "other",
      acquiredAt: "1962-01-01T00:00:00Z",
    },
  );
  await testServer.ended(r.body.runId);
  const id = r.body.scene.id;
  const at = async () => (await rows()).find((row) => row.sceneId === id)!;
  expect([(await at()).problem, (await at()).picture]).toEqual(["has no position yet", true]);
  // A picture cell is four cells of the grid; its corner lies at column 10, row 5.
  const points = [
    [5, 5],
    [50, 8],
    [12, 44],
    [40, 40],
  ].map(([c, row], k) => ({
    id: `p${k}`,
    name: "",
    on: true,
    from: [c!, row!],
    to: [500000 + 20 * (10 + 4 * c!), 5170000 - 20 * (5 + 4 * row!)],
  }));
  await testServer.call("PUT", `/studies/${study}/align/${id}`, {
    place: {
      kind: "points",
      referenceId: before.id,
      model: "similarity",
      smoothing: 0,
      kernel: "nearest",
      points: points.slice(0, 1),
    },
  });
  expect((await at()).problem).toMatch(/needs 2 points or more, and there is 1/);
  await testServer.call("PUT", `/studies/${study}/align/${id}`, {
    place: {
      kind: "points",
      referenceId: before.id,
      model: "similarity",
      smoothing: 0,
      kernel: "nearest",
      points,
    },
  });
  const now = await at();
  expect([now.problem, now.aligned!.info.grid.width]).toEqual([null, width]);
  expect(await valueAt(now.aligned!.hash, 10 + 4 * 20 + 1, 5 + 4 * 30 + 2)).toBe(2 * 20 + 30);
  expect(await valueAt(now.aligned!.hash, 3, 3)).toBeNaN();
});

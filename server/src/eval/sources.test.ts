import type { ImageInfo } from "@hindglance/core/graph/image";
import { utm } from "@hindglance/core/geodesy/crs";
import { BLOCK, levelCount, northUp } from "@hindglance/core/grid/grid";
import { nodeHash, node, sourceNode } from "@hindglance/core/graph/node";
import { versionOf } from "@hindglance/core/graph/registry";

import { type StoredBlock, blockWindow, writeBlocks } from "../db/blocks";
import { createImage, finishImage } from "../db/images";
import { Database } from "../db/pool";
import { saveKept } from "../db/products";
import { createScene } from "../db/scenes";
import { createStudy } from "../db/studies";
import { TestServer } from "../testing/harness";
import { KeptImages } from "./kept";
import { StoredSources } from "./sources";

const width = 1100;
const height = 1060;
let testServer: TestServer;
let db: Database;
beforeAll(async () => {
  testServer = await TestServer.start({ workers: 0 });
  db = new Database(testServer.url, { max: 4 });
});
afterAll(async () => {
  await db.close();
  await testServer.stop();
});

/** Value of a cell: tells its place, so that a cell in the wrong place is seen. Some are nodata. */
const value = (c: number, r: number, band: number) =>
  (c * 7 + r * 13) % 97 === 0 ? 0 : ((c * 31 + r * 17 + band * 5) % 60000) + 1;

async function store(stored: "uint16" | undefined): Promise<{ id: string; info: ImageInfo }> {
  const info: ImageInfo = {
    grid: northUp(utm(27, true), 490000, 5180000, 10, 10, width, height),
    type: "float32",
    bands: [0, 1].map((b) => ({ name: `b${b}`, unit: "DN", role: "amplitude" as const })),
    ...(stored ? { stored } : {}),
  };
  const blocks: StoredBlock[] = [];
  for (let row = 0; row * BLOCK < height; row++) {
    for (let col = 0; col * BLOCK < width; col++) {
      for (const band of [0, 1]) {
        const w = blockWindow(row, col, width, height);
        const cells = stored
          ? new Uint16Array(w.width * w.height)
          : new Float32Array(w.width * w.height);
        for (let r = 0; r < w.height; r++) {
          for (let c = 0; c < w.width; c++) {
            const number = value(w.col + c, w.row + r, band);
            cells[r * w.width + c] = number === 0 && !stored ? NaN : number;
          }
        }
        blocks.push({ level: 0, row, col, band, cells });
      }
    }
  }
  const id = await db.withTransaction(async (client) => {
    const i = await createImage(client, info, levelCount(width, height));
    await writeBlocks(client, i, blocks);
    await finishImage(client, i, { statistics: null, histograms: null, looks: null });
    return i;
  });
  return { id, info };
}

describe.each([
  ["floats", undefined],
  ["whole amplitudes", "uint16"],
] as const)("windows of a stored image: %s", (_n, stored) => {
  let id: string;
  beforeAll(async () => {
    id = (await store(stored)).id;
  });
  test("steps are not told how cells are kept", async () => {
    expect("stored" in (await new StoredSources(db, 1 << 24).info(id))).toBe(false);
  });
  test.each([
    ["inside one block", { col: 20, row: 30, width: 100, height: 80 }],
    ["over a corner of four", { col: 480, row: 490, width: 60, height: 50 }],
    ["a block with its halo", { col: 509, row: 509, width: 518, height: 518 }],
    ["a thin strip of rows", { col: 0, row: 508, width, height: 9 }],
    ["a thin strip of columns", { col: 510, row: 0, width: 6, height }],
    ["the rim", { col: width - 5, row: height - 3, width: 5, height: 3 }],
    ["everything", { col: 0, row: 0, width, height }],
  ])("%s: every cell in its place", async (_m, w) => {
    const sources = new StoredSources(db, 1 << 24);
    // Twice: the second time some blocks are held whole, others were fetched in part.
    for (let k = 0; k < 2; k++) {
      const block = await sources.read(id, 0, w);
      let wrong = 0;
      for (const band of [0, 1]) {
        for (let r = 0; r < w.height; r++) {
          for (let c = 0; c < w.width; c++) {
            const entry = value(w.col + c, w.row + r, band);
            const got = block.bands[band]![r * w.width + c]!;
            if (entry === 0 ? !Number.isNaN(got) : got !== entry) {
              wrong++;
            }
          }
        }
      }
      expect(wrong).toBe(0);
    }
  });
  test("neighbours read after one another agree with one read", async () => {
    const sources = new StoredSources(db, 1 << 22);
    const whole = (await sources.read(id, 0, { col: 300, row: 500, width: 600, height: 40 }))
      .bands[0]!;
    for (const col of [300, 450, 600, 750]) {
      const part = (await sources.read(id, 0, { col, row: 500, width: 150, height: 40 })).bands[0]!;
      for (let r = 0; r < 40; r++) {
        expect([...part.subarray(r * 150, (r + 1) * 150)]).toEqual([
          ...whole.subarray(r * 600 + col - 300, r * 600 + col - 150),
        ]);
      }
    }
  });
});

test("kept results are found by hash, once they are there", async () => {
  const { id } = await store(undefined);
  const n = node("radar.orbit", { vectors: [], kind: "precise" }, sourceNode(id));
  const hash = nodeHash(n, versionOf);
  const sources = new StoredSources(db, 1 << 22);
  const kept = new KeptImages(db, sources);
  expect(await Promise.all([kept.has(hash), kept.has("0".repeat(32))])).toEqual([false, false]);
  await db.withTransaction(async (client) => {
    const study = await createStudy(client, {
      name: "Kept",
      hazard: "flood",
      eventAt: null,
      studyArea: null,
    });
    const scene = await createScene(client, {
      studyId: study.id,
      kind: "radar",
      name: "A",
      acquiredAt: null,
      fileName: "a",
      fileSize: 1,
      fileSha256: "0",
      detail: {},
    });
    await saveKept(client, {
      hash,
      imageId: id,
      sceneId: scene,
      step: "Terrain",
      steps: { orbit: hash },
    });
  });
  const fresh = new KeptImages(db, sources);
  expect(await fresh.has(hash)).toBe(true);
  expect((await fresh.info(hash)).grid.width).toBe(width);
  expect((await fresh.read(hash, 0, { col: 1, row: 0, width: 2, height: 1 })).bands[0]![0]).toBe(
    value(1, 0, 0),
  );
});
